"""Demodulators, one per class: complex channel in, audio out, block after block."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor
from yarddial.dsp.slow_mean import SlowMean

Complex = NDArray[np.complex64]
SoundArray = NDArray[np.float32]


class Demodulator(Protocol):
    """Demodulate a channel with its carrier at zero; full modulation gives full scale."""

    def push(self, channel: Complex) -> SoundArray:
        """Demodulate a block; the output has the same length."""
        ...


class Envelope:
    """AM envelope detector without the carrier's level; full scale is 100 % modulation."""

    def __init__(self, rate_hz: float) -> None:
        self._level = SlowMean(rate_hz, 0.1)

    def push(self, channel: Complex) -> SoundArray:
        """Return the envelope divided by its mean, less one."""
        size = np.abs(channel)
        return np.asarray(size / np.maximum(self._level.push(size), 1e-12) - 1.0, np.float32)


class Synchronous:
    """AM against its own carrier, followed by a loop that is locked to it and holds through fades.

    In phase is what is heard; noise in quadrature is not, and one sideband's fading does not distort. The loop is of
    second order [1]_, stepped once a millisecond; its start is the strongest line within PULL_HZ of the dial, sought
    anew while it is not locked.

    References
    ----------
    .. [1] F. M. Gardner, Phaselock Techniques, 3rd edition (2005), section 2.2: natural frequency and damping.
    """

    # Pull-in range around the dial, hertz, and the time used to find a carrier.
    PULL_HZ, SOUGHT_S = 120.0, 0.1
    # Natural frequency of the loop, hertz, its damping, and the length of a step.
    LOOP_HZ, DAMPING, STEP_S = 4.0, 0.9, 1e-3
    # Treat the carrier as faded below this share of its mean; locked above this in-phase share, smoothed.
    FADED, LOCKED = 0.25, 0.5

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._step = max(int(rate_hz * self.STEP_S), 1)
        self._level = SlowMean(rate_hz, 0.1)
        self._hz, self._phase = 0.0, 0.0
        self._mean, self._lock = 0.0, 0.0
        self._sought: list[Complex] = []
        self._held = np.empty(0, np.complex64)
        turns = 2 * np.pi * self.LOOP_HZ * self._step / rate_hz
        self._proportional, self._integral = 2 * self.DAMPING * turns, turns**2
        self._ramp = np.arange(self._step) / rate_hz

    @property
    def is_locked(self) -> bool:
        """Whether the loop follows the carrier."""
        return self._lock > self.LOCKED

    def push(self, channel: Complex) -> SoundArray:
        """Return the in-phase part divided by its mean, less one, in whole steps."""
        joined = np.concatenate([self._held, channel])
        steps = joined.size // self._step
        self._held = joined[steps * self._step :].copy()
        if not steps:
            return np.empty(0, np.float32)
        rows = joined[: steps * self._step].reshape(steps, self._step)
        if not self.is_locked:
            self._seek(rows)
        turned = np.empty(rows.shape, np.float32)
        for number in range(steps):
            turned[number] = self._follow(rows[number])
        flat = turned.reshape(-1)
        level = self._level.push(flat)
        return np.asarray(np.clip(flat / np.maximum(level, 1e-9) - 1.0, -4.0, 4.0), np.float32)

    def _follow(self, row: Complex) -> SoundArray:
        phase = self._phase + 2 * np.pi * self._hz * self._ramp
        turned = row * np.exp(-1j * phase).astype(np.complex64)
        mean = complex(turned.mean())
        size = abs(mean)
        self._mean += 0.01 * (size - self._mean) if self._mean else size
        self._phase = float((self._phase + 2 * np.pi * self._hz * self._step / self._rate_hz) % (2 * np.pi))
        if size > self.FADED * self._mean:
            error = float(np.angle(mean))
            self._phase += self._proportional * error
            self._hz += self._integral * error / (2 * np.pi * self._step / self._rate_hz)
            self._hz = min(max(self._hz, -self.PULL_HZ), self.PULL_HZ)
            self._lock += 0.02 * (mean.real / max(size, 1e-30) - self._lock)
        return np.asarray(turned.real, np.float32)

    def _seek(self, rows: Complex) -> None:
        self._sought.append(rows.mean(axis=1))
        sums = np.concatenate(self._sought)
        if sums.size * self._step < self.SOUGHT_S * self._rate_hz:
            return
        points = 4 * sums.size
        power = np.abs(np.fft.fft(sums * np.hanning(sums.size), points))
        hertz = np.fft.fftfreq(points, self._step / self._rate_hz)
        power[np.abs(hertz) > self.PULL_HZ] = 0.0
        self._hz = float(hertz[int(np.argmax(power))])
        self._sought = []


class Product:
    """Product detector for SSB and CW: shift the channel by `pitch_hz` and take the real part."""

    def __init__(self, rate_hz: float, pitch_hz: float = 0.0) -> None:
        self._turns = pitch_hz / rate_hz
        self._index = 0

    def push(self, channel: Complex) -> SoundArray:
        """Demodulate to the real part."""
        if not self._turns:
            return channel.real
        moved = channel * phasor(self._turns, self._index, channel.size)
        self._index += channel.size
        return np.asarray(moved.real, np.float32)


class Frequency:
    """FM discriminator: full scale is the given deviation."""

    def __init__(self, rate_hz: float, deviation_hz: float) -> None:
        self._scale = np.float32(rate_hz / (2 * np.pi * deviation_hz))
        self._last = np.ones(1, np.complex64)

    def push(self, channel: Complex) -> SoundArray:
        """Demodulate to frequency, in units of the deviation."""
        if not channel.size:
            return np.empty(0, np.float32)
        joined = np.concatenate([self._last, channel])
        self._last = channel[-1:].copy()
        return np.asarray(np.angle(joined[1:] * joined[:-1].conj()) * self._scale, np.float32)
