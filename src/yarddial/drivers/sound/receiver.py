"""A stereo input as a receiver: tuner and sampling have separate oscillators, and the card's losses are counted."""

import contextlib
import threading
import time as clock
from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings, TimeSource
from yarddial.drivers.sound.address import SoundAddress
from yarddial.drivers.sound.portaudio import SoundInput, load, quiet, rates_of
from yarddial.drivers.sound.silence import SilenceFilter
from yarddial.dsp.channel_skew import measured_skew
from yarddial.yard.errors import CannotTune, DeviceBusy, DeviceLost, DeviceStalled, RefusedValue
from yarddial.yard.frequency import format_frequency

Complex = NDArray[np.complex64]
BLOCK_S, STALL_S, HELD_S = 0.05, 3.0, 2.0
# Requested latency: the card's own buffers then bridge a busy moment of this computer.
LATENCY_S = 0.2
# Samples per estimate of the channel skew, and attempts before it is taken as 0.
SKEW_SAMPLES, SKEW_TRIES = 1 << 16, 40


class SoundReceiver:
    """Read two channels as I and Q. It tunes nothing: the tuned frequency is stated by the person."""

    def __init__(self, address: SoundAddress, sound_input: SoundInput, time: TimeSource) -> None:
        self._address, self._input, self._time = address, sound_input, time
        self._rates_hz = rates_of(sound_input)
        if not self._rates_hz:
            raise DeviceBusy(
                f"the sound input '{sound_input.name}' takes no rate just now: end what else uses it, then start"
            )
        self._rate_hz = 0.0
        self._stream: Any = None
        self._arrived = threading.Condition()
        self._held: deque[tuple[Complex, int]] = deque()
        self._held_count = self._dropped = 0
        self._silence = SilenceFilter()
        self._ready: deque[tuple[Complex, int]] = deque()
        # Samples lost before those still to come.
        self._index = self._lost_before = 0
        self._remark = ""
        self._last_q: Complex = np.empty(0, np.complex64)
        self._skew, self._is_skew_known = address.skew or 0, address.skew is not None
        self._seen: list[Complex] = []
        self._tries = 0

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities: one centre, with separate oscillators for tuner and sampling."""
        centre_hz, half = self._address.centre_hz, self._rates_hz[-1] / 2
        return Capabilities(
            self._input.name, ((max(centre_hz - half, 0.0), centre_hz + half),), self._rates_hz, ("",), 16,
            own_clock=True, fixed_centre_hz=centre_hz,
        )  # fmt: skip

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Set the rate; any centre within the span is accepted, as the centre is fixed."""
        centre_hz = self._address.centre_hz
        if ask.rate_hz not in self._rates_hz:
            able = ", ".join(f"{rate / 1e3:g}" for rate in self._rates_hz)
            raise RefusedValue(f"'{self._input.name}' has no rate of {ask.rate_hz / 1e3:g} kS/s: it has {able} kS/s")
        if ask.gains_db or ask.bias or ask.automatic_gain or ask.port:
            raise RefusedValue(f"'{self._input.name}' has nothing to set but its rate: use the system's mixer for gain")
        if abs(ask.centre_hz - centre_hz) > ask.rate_hz / 2:
            low, high = centre_hz - ask.rate_hz / 2, centre_hz + ask.rate_hz / 2
            raise CannotTune(
                f"cannot tune to {format_frequency(ask.centre_hz)}: the receiver before the sound card covers "
                f"{format_frequency(low)} to {format_frequency(high)} at this rate; tune it, and say so",
                ask.centre_hz,
            )
        restart = ask.rate_hz != self._rate_hz
        if restart:
            self._restart(ask.rate_hz)
        return ActualSettings(centre_hz, ask.rate_hz, "", restart)

    def _restart(self, rate_hz: float) -> None:
        self._end_stream()
        sounddevice = load()
        self._rate_hz = rate_hz
        with self._arrived:
            self._held.clear()
            self._held_count = self._dropped = 0
        self._ready.clear()
        self._silence, self._index, self._last_q = SilenceFilter(), 0, np.empty(0, np.complex64)
        try:
            with quiet():
                self._stream = sounddevice.RawInputStream(
                    samplerate=rate_hz,
                    device=self._input.index,
                    channels=2,
                    dtype="float32",
                    latency=LATENCY_S,
                    callback=_Intake(self, rate_hz),
                )
                self._stream.start()
        except sounddevice.PortAudioError as error:
            self._rate_hz = 0.0
            self._stream = None
            raise DeviceBusy(
                f"the sound input '{self._input.name}' does not start at {rate_hz / 1e3:g} kS/s ({error.args[0]}): end "
                "what else uses it, or choose another rate"
            ) from error

    def take(self, samples: Complex, lost: int) -> None:
        """Store a piece from PortAudio's thread; count it as lost when there is no room."""
        with self._arrived:
            if self._held_count > HELD_S * self._rate_hz:
                self._dropped += samples.size + lost
                return
            self._held.append((samples, lost + self._dropped))
            self._dropped = 0
            self._held_count += samples.size
            self._arrived.notify()

    def read(self) -> Block | None:
        """Read the next samples.

        Raises
        ------
        DeviceStalled
            Nothing came for three seconds, or nothing but silence.
        DeviceLost
            The card is gone.
        """
        until_s = clock.monotonic() + STALL_S
        while not self._ready:
            self._wait(until_s)
        samples, lost = self._ready.popleft()
        self._index += lost
        block = Block(samples, self._index, lost, remark=self._remark)
        self._remark = ""
        self._index += samples.size
        return block

    def _wait(self, until_s: float) -> None:
        wanted = int(BLOCK_S * self._rate_hz)
        with self._arrived:
            self._arrived.wait_for(lambda: self._held_count >= wanted, 0.25)
            pieces = list(self._held)
            self._held.clear()
            self._held_count = 0
        for samples, lost in pieces:
            self._lost_before += lost
            for stretch in self._silence.push(samples):
                self._take_stretch(stretch.samples, stretch.silent_before)
        if self._ready:
            self._join(wanted)
            return
        if self._stream is not None and not self._stream.active:
            raise DeviceLost(f"the sound input '{self._input.name}' ended: look at its plug, then start again")
        if clock.monotonic() > until_s:
            why = "gives nothing but silence: look at the lead, the receiver's supply and the system's mixer"
            what = why if pieces else "gives no samples: look whether another program holds it"
            raise DeviceStalled(f"the sound input '{self._input.name}' {what}", STALL_S)

    def _take_stretch(self, samples: Complex, lost: int) -> None:
        self._lost_before += lost
        samples = self._oriented(samples)
        if samples.size:
            self._ready.append((samples, self._lost_before))
            self._lost_before = 0

    def _join(self, wanted: int) -> None:
        """Join pieces without a loss between them."""
        joined: deque[tuple[Complex, int]] = deque()
        run: list[Complex] = []
        lost_before = 0
        for samples, lost in self._ready:
            if run and (lost or sum(piece.size for piece in run) >= 2 * wanted):
                joined.append((np.concatenate(run), lost_before))
                run = []
            if not run:
                lost_before = lost
            run.append(samples)
        joined.append((np.concatenate(run), lost_before))
        self._ready = joined

    def _oriented(self, samples: Complex) -> Complex:
        """Swap channels where stated, and align them in time."""
        if self._address.swap:
            samples = (samples.imag + 1j * samples.real).astype(np.complex64)
        if not self._is_skew_known:
            self._estimate_skew(samples)
        if not self._skew:
            return samples
        whole = np.concatenate([self._last_q, samples])
        self._last_q = whole[-1:]
        if whole.size < 2:
            return whole[:0]
        late = self._skew > 0
        i, q = (whole.real[:-1], whole.imag[1:]) if late else (whole.real[1:], whole.imag[:-1])
        return (i + 1j * q).astype(np.complex64)

    def _estimate_skew(self, samples: Complex) -> None:
        self._seen.append(samples)
        if sum(piece.size for piece in self._seen) < SKEW_SAMPLES:
            return
        skew = measured_skew(np.concatenate(self._seen))
        self._seen, self._tries = [], self._tries + 1
        if skew is None and self._tries < SKEW_TRIES:
            return
        self._is_skew_known = True
        if skew:
            self._skew = skew
            side = "Q" if skew > 0 else "I"
            self._remark = f"the sound card has {side} one sample late: that is taken out"

    def close(self) -> None:
        """Release the sound card."""
        self._end_stream()

    def _end_stream(self) -> None:
        stream, self._stream = self._stream, None
        if stream is not None:
            with contextlib.suppress(Exception):
                # Release the card whatever PortAudio raises.
                stream.close()


class _Intake:
    """PortAudio's call-back: takes frames and counts samples lost in overruns by the card's clock."""

    def __init__(self, receiver: SoundReceiver, rate_hz: float) -> None:
        self._receiver, self._rate_hz = receiver, rate_hz
        self._next_s: float | None = None

    def __call__(self, data: Any, frames: int, times: Any, status: Any) -> None:
        samples = np.frombuffer(data, np.complex64).copy()
        lost = 0
        began_s = float(times.inputBufferAdcTime)
        if status.input_overflow:
            # Times are exact to a few samples; an overrun loses at least a buffer.
            missing = (began_s - self._next_s) * self._rate_hz if self._next_s is not None else 0.0
            lost = max(round(missing), 1)
        self._next_s = began_s + frames / self._rate_hz
        self._receiver.take(samples, lost)
