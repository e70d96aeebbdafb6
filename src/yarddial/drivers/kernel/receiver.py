"""A kernel receiver as a device: tuning, sampling through mapped buffers, loss counting by buffer numbers."""

import contextlib
import errno
import time as clock
from typing import Any

import numpy as np

from yarddial.drivers.kernel.formats import FORMATS, Conversion, four_cc
from yarddial.drivers.kernel.requests import (
    CAN_SDR,
    CAN_STREAM,
    RF_TUNER,
    SDR_TUNER,
    Control,
    FullBuffer,
    Requests,
    TunerBand,
)
from yarddial.drivers.kernel.system import System
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, GainCapability, RequestedSettings
from yarddial.yard.errors import (
    CannotTune,
    DeviceBusy,
    DeviceLost,
    DeviceNotFound,
    DeviceStalled,
    RefusedValue,
    YardDialError,
)
from yarddial.yard.frequency import format_bound, format_frequency

BUFFER_COUNT = 16
STALL_S, LOCK_S = 3.0, 0.05
# Give up after this many consecutive read errors.
MAX_ERRORS = 5
# The kernel states ranges; people choose among a few usual values.
USUAL_RATES_HZ = (
    *(192e3, 250e3, 300e3, 384e3, 768e3, 1.024e6, 1.536e6, 1.8e6, 2.0e6, 2.048e6, 2.4e6, 2.56e6, 2.8e6, 3.2e6),
    *(4e6, 5e6, 6e6, 7e6, 8e6, 9e6, 10e6, 12e6, 15e6, 20e6),
)
USUAL_WIDTHS_HZ = (200e3, 300e3, 600e3, 1.536e6, 2e6, 3e6, 5e6, 6e6, 7e6, 8e6, 10e6, 14e6, 20e6)
MAX_STEPS = 64
GAINS = (("RF", "RF_GAIN"), ("LNA", "LNA_GAIN"), ("mixer", "MIXER_GAIN"), ("IF", "IF_GAIN"))
AUTOMATICS = ("LNA_GAIN_AUTO", "MIXER_GAIN_AUTO", "IF_GAIN_AUTO")
COUNTER_PERIOD = 1 << 32


class KernelReceiver:
    """An open kernel receiver. Gain steps are in the driver's own units, which need not be decibels."""

    def __init__(self, name: str, path: str, system: System, wanted_format: str = "") -> None:
        self._name, self._system = name, system
        self._requests = Requests(system, path)
        self._maps: list[Any] = []
        self._is_streaming = False
        self._index = 0
        self._next_sequence: int | None = None
        # Buffers still to come from before a change of settings; consecutive read errors.
        self._stale = self._errors = 0
        try:
            self._learn(wanted_format)
        except BaseException:
            self._system.close(self._requests.handle, [])
            raise

    def _learn(self, wanted_format: str) -> None:
        requests = self._requests
        title, can = requests.card()
        if not can & CAN_SDR or not can & CAN_STREAM:
            raise DeviceNotFound(f"{self._name} is no receiver that streams samples: choose another")
        self._tuners = requests.tuners()
        if SDR_TUNER not in self._tuners or RF_TUNER not in self._tuners:
            raise RefusedValue(f"{self._name} has no tuner that is known here: another driver may know more of it")
        self._rate_bands = requests.bands(self._tuners[SDR_TUNER], SDR_TUNER)
        self._tuner_bands = requests.bands(self._tuners[RF_TUNER], RF_TUNER)
        if not self._rate_bands or not self._tuner_bands:
            raise RefusedValue(f"{self._name} does not say what it tunes and which rates it has: a newer kernel may")
        self._format = _chosen_format(self._name, requests.formats(), wanted_format)
        letters, self._bits, make = FORMATS[self._format]
        self._make = make
        self._set_format(four_cc(letters))
        self._conversion: Conversion = make()
        self._gains = {name: control for name, what in GAINS if (control := requests.control(what)) is not None}
        self._automatics = [control for what in AUTOMATICS if (control := requests.control(what)) is not None]
        self._bandwidth = requests.control("BANDWIDTH")
        self._own_bandwidth = requests.control("BANDWIDTH_AUTO")
        self._lock = requests.control("PLL_LOCK")
        self._title = title or self._name
        self._capabilities = self._able()

    def _set_format(self, letters: int) -> None:
        try:
            got = self._requests.set_format(letters)
        except OSError as error:
            if error.errno == errno.EBUSY:
                raise self._busy() from error
            raise
        if got != letters:
            raise RefusedValue(f"{self._name} offers {self._format} and does not set it: name another with ?format=")

    def _able(self) -> Capabilities:
        share = self._conversion.sample_rate_share
        return Capabilities(
            self._title,
            tuple((band.low_hz, band.high_hz) for band in _joined(self._tuner_bands)),
            tuple(rate * share for rate in _offered(self._rate_bands, USUAL_RATES_HZ)),
            ("",),
            self._bits,
            gains=tuple(GainCapability(name, _steps(control)) for name, control in self._gains.items()),
            has_automatic_gain=bool(self._automatics),
            bandwidths_hz=() if self._bandwidth is None else _offered(
                [TunerBand(self._bandwidth.low, self._bandwidth.high, 1.0)], USUAL_WIDTHS_HZ
            ),
        )  # fmt: skip

    @property
    def capabilities(self) -> Capabilities:
        """Capabilities as the kernel reports them."""
        return self._capabilities

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Apply settings; nothing changes when any of them is refused. A tuner that does not lock counts as a
        refusal.
        """
        try:
            return self._apply(ask)
        except YardDialError:
            raise
        except OSError as error:
            raise self._failed(error, "setting it") from error

    def _apply(self, ask: RequestedSettings) -> ActualSettings:
        self._check(ask)
        rate_hz = ask.rate_hz / self._conversion.sample_rate_share
        sdr, sdr_unit = self._tuners[SDR_TUNER], self._rate_bands[0].unit_hz
        # Tune first: after it nothing else can be refused.
        self._tune(ask.centre_hz)
        restart = not self._is_streaming
        if round(self._requests.frequency(sdr, SDR_TUNER, sdr_unit)) != round(rate_hz) or restart:
            self._stop()
            self._requests.set_frequency(sdr, SDR_TUNER, rate_hz, sdr_unit)
            restart = True
        self._set_gains(ask)
        self._set_bandwidth(ask.bandwidth_hz)
        if restart:
            self._start()
        else:
            self._throw_away()
        return self._actual(ask, restart)

    def _check(self, ask: RequestedSettings) -> None:
        able, name = self.capabilities, self._title
        if not any(low <= ask.centre_hz <= high for low, high in able.ranges_hz):
            spans = " and ".join(f"{format_bound(low)} to {format_bound(high)}" for low, high in able.ranges_hz)
            what = f"cannot tune to {format_frequency(ask.centre_hz)} with {name}: it covers {spans}"
            raise CannotTune(f"{what}; choose a route with a converter or another frequency", ask.centre_hz)
        share = self._conversion.sample_rate_share
        if not any(band.low_hz * share <= ask.rate_hz <= band.high_hz * share for band in self._rate_bands):
            rates = ", ".join(f"{rate / 1e6:g}" for rate in able.rates_hz)
            raise RefusedValue(f"{name} has no rate of {ask.rate_hz / 1e6:g} MS/s: choose one of {rates} MS/s")
        strange = [stage for stage, _ in ask.gains_db if stage not in self._gains]
        if strange or ask.port or ask.bias or (ask.automatic_gain and not self._automatics):
            what = f"gain '{strange[0]}'" if strange else f"port '{ask.port}'" if ask.port else (
                "bias feed" if ask.bias else "automatic gain"
            )  # fmt: skip
            raise RefusedValue(f"the kernel knows no {what} of {name}: choose it anew on Bench")
        if ask.bandwidth_hz and self._bandwidth is None:
            raise RefusedValue(f"the filter of {name} cannot be chosen through the kernel: leave it to the receiver")

    def _tune(self, centre_hz: float) -> None:
        tuner = self._tuners[RF_TUNER]
        unit_hz = next(b.unit_hz for b in self._tuner_bands if b.low_hz <= centre_hz <= b.high_hz)
        before_hz = self._requests.frequency(tuner, RF_TUNER, unit_hz)
        try:
            self._requests.set_frequency(tuner, RF_TUNER, centre_hz, unit_hz)
            locks = self._locks()
        except OSError as error:
            if error.errno not in (errno.EINVAL, errno.ERANGE, errno.EDOM):
                raise
            locks = False
        if not locks:
            with contextlib.suppress(OSError):
                self._requests.set_frequency(tuner, RF_TUNER, before_hz, unit_hz)
            where = format_frequency(centre_hz)
            raise CannotTune(f"the tuner of {self._title} does not lock at {where}: choose another place", centre_hz)

    def _locks(self) -> bool:
        if self._lock is None:
            return True
        until_s = clock.monotonic() + LOCK_S
        while not self._requests.get_control(self._lock):
            if clock.monotonic() > until_s:
                return False
            clock.sleep(0.005)
        return True

    def _set_gains(self, ask: RequestedSettings) -> None:
        for control in self._automatics:
            self._requests.set_control(control, int(ask.automatic_gain))
        if ask.automatic_gain:
            return
        for name, wanted in ask.gains_db:
            control = self._gains[name]
            self._requests.set_control(control, _nearest(control, wanted))

    def _set_bandwidth(self, bandwidth_hz: float) -> None:
        if self._own_bandwidth is not None:
            self._requests.set_control(self._own_bandwidth, int(not bandwidth_hz))
        if bandwidth_hz and self._bandwidth is not None:
            control = self._bandwidth
            self._requests.set_control(control, round(min(max(bandwidth_hz, control.low), control.high)))

    def _actual(self, ask: RequestedSettings, restart: bool) -> ActualSettings:
        requests, share = self._requests, self._conversion.sample_rate_share
        rate_hz = requests.frequency(self._tuners[SDR_TUNER], SDR_TUNER, self._rate_bands[0].unit_hz)
        centre_hz = requests.frequency(self._tuners[RF_TUNER], RF_TUNER, self._tuner_bands[0].unit_hz)
        return ActualSettings(
            centre_hz,
            rate_hz * share,
            ask.port,
            restart,
            0.0 if self._bandwidth is None else float(requests.get_control(self._bandwidth)),
            tuple((name, float(requests.get_control(control))) for name, control in self._gains.items()),
            bool(self._automatics) and all(requests.get_control(control) for control in self._automatics),
        )

    def _start(self) -> None:
        try:
            self._maps = self._requests.map_buffers(BUFFER_COUNT)
            for index in range(len(self._maps)):
                self._requests.queue(index)
            self._requests.stream(True)
        except OSError as error:
            if error.errno == errno.EBUSY:
                raise self._busy() from error
            raise
        self._is_streaming = True
        self._conversion = self._make()
        self._index, self._next_sequence, self._stale = 0, None, 0

    def _stop(self) -> None:
        if not self._is_streaming:
            return
        self._is_streaming = False
        self._requests.stream(False)
        for mapped_buffer in self._maps:
            with contextlib.suppress(AttributeError, BufferError):
                mapped_buffer.close()
        self._maps = []
        self._requests.free_buffers()

    def _throw_away(self) -> None:
        """Discard samples of the old settings: full buffers and the one being filled."""
        while (buffer := self._requests.take()) is not None:
            self._count(buffer)
            self._requests.queue(buffer.index)
        self._stale = 1

    def _count(self, buffer: FullBuffer) -> int:
        """Count samples lost before a buffer, by its number."""
        wanted = buffer.sequence if self._next_sequence is None else self._next_sequence
        missing = (buffer.sequence - wanted) % COUNTER_PERIOD
        # A number that runs backwards means that the driver restarted its count.
        missing = 0 if missing > COUNTER_PERIOD // 2 else missing
        self._next_sequence = (buffer.sequence + 1) % COUNTER_PERIOD
        whole = len(self._maps[buffer.index]) if self._maps else buffer.size
        lost = missing * self._samples(whole)
        self._index += lost
        return lost

    def _samples(self, size: int) -> int:
        return size // self._conversion.bytes_a_sample

    def read(self) -> Block | None:
        """Read the next buffer's samples.

        Raises
        ------
        DeviceStalled
            No buffer was filled for three seconds.
        DeviceLost
            It was unplugged, or goes on failing.
        """
        lost, waited_s = 0, 0.0
        while waited_s < STALL_S:
            try:
                buffer = self._requests.take()
            except OSError as error:
                self._errors += 1
                if error.errno != errno.EIO or self._errors > MAX_ERRORS:
                    raise self._failed(error, "reading") from error
                clock.sleep(0.01)
                continue
            if buffer is None:
                if not self._system.wait(self._requests.handle, 0.25):
                    waited_s += 0.25
                continue
            self._errors = 0
            lost += self._count(buffer)
            if self._stale and buffer.size:
                # A buffer begun before the change of settings: neither delivered nor lost.
                self._stale -= 1
                self._requeue(buffer)
                continue
            data = bytes(memoryview(self._maps[buffer.index])[: buffer.size])
            self._requeue(buffer)
            if buffer.is_broken:
                lost += self._samples(buffer.size)
                self._index += self._samples(buffer.size)
                continue
            samples = self._conversion.convert(data)
            if samples.size:
                block = Block(samples, self._index, lost)
                self._index += samples.size
                return block
        raise DeviceStalled(f"{self._title} gave no samples for {STALL_S:g} s: unplug it and plug it in", STALL_S)

    def _requeue(self, buffer: FullBuffer) -> None:
        try:
            self._requests.queue(buffer.index)
        except OSError as error:
            raise self._failed(error, "reading") from error

    def close(self) -> None:
        """Release the device and its buffers."""
        if self._requests.handle < 0:
            return
        with contextlib.suppress(OSError):
            self._stop()
        self._system.close(self._requests.handle, self._maps)
        self._requests.handle, self._maps = -1, []

    def _busy(self) -> DeviceBusy:
        return DeviceBusy(f"another program receives with {self._name} already: end it, then start again")

    def _failed(self, error: OSError, what: str) -> YardDialError:
        if error.errno == errno.EBUSY:
            return self._busy()
        if error.errno in (errno.ENODEV, errno.ENXIO, errno.EBADF):
            return DeviceLost(f"{self._name} is gone: plug it in again, then start")
        reason = (error.strerror or str(error)).lower()
        return DeviceLost(f"{what} failed on {self._name} ({reason}): unplug it, plug it in, then start")


def _chosen_format(name: str, there: list[tuple[int, bool]], wanted: str) -> str:
    known = {four_cc(letters): key for key, (letters, _, _) in FORMATS.items()}
    able = [(known[letters], offered) for letters, offered in there if letters in known]
    if wanted and wanted not in [key for key, _ in able]:
        can = ", ".join(key for key, _ in able) or "none that is known here"
        raise RefusedValue(f"{name} has no format '{wanted}': it has {can}")
    if not able:
        raise RefusedValue(f"{name} has none of the formats {', '.join(FORMATS)}: another driver may read it")
    order = list(FORMATS)
    return wanted or min(able, key=lambda sample_format: (sample_format[1], order.index(sample_format[0])))[0]


def _offered(bands: list[TunerBand], usual_hz: tuple[float, ...]) -> tuple[float, ...]:
    """Offered rates: usual values inside ranges; a single value as it is; never none."""
    rates_hz: set[float] = set()
    for band in bands:
        if band.low_hz == band.high_hz:
            rates_hz.add(band.low_hz)
            continue
        inside = {value for value in usual_hz if band.low_hz <= value <= band.high_hz}
        rates_hz |= inside or {band.low_hz, band.high_hz}
    return tuple(sorted(rates_hz))


def _joined(bands: list[TunerBand]) -> list[TunerBand]:
    """Join adjoining ranges."""
    joined_bands: list[TunerBand] = []
    for band in bands:
        if joined_bands and band.low_hz <= joined_bands[-1].high_hz + band.unit_hz:
            high_hz = max(joined_bands[-1].high_hz, band.high_hz)
            joined_bands[-1] = TunerBand(joined_bands[-1].low_hz, high_hz, band.unit_hz)
        else:
            joined_bands.append(band)
    return joined_bands


def _steps(control: Control) -> tuple[float, ...]:
    """List the values of a gain control, thinned where there are very many."""
    values = list(range(control.low, control.high + 1, control.step))
    every = -(-len(values) // MAX_STEPS)
    return tuple(float(np.float64(value)) for value in values[::every])


def _nearest(control: Control, wanted: float) -> int:
    steps = _steps(control)
    return int(steps[int(np.argmin(np.abs(np.array(steps) - wanted)))])
