"""A demodulator a class: complex channel in, sound out, block after block, each with its state."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor
from yarddial.dsp.slow_mean import SlowMean

Complex = NDArray[np.complex64]
SoundArray = NDArray[np.float32]


class Demodulator(Protocol):
    """Takes a channel's samples, the carrier at zero; gives sound, a carrier of full modulation at full scale."""

    def push(self, channel: Complex) -> SoundArray:
        """As many samples as came."""
        ...


class Envelope:
    """AM by the envelope, the carrier's level taken out: full scale is 100 % modulation."""

    def __init__(self, rate_hz: float) -> None:
        self._level = SlowMean(rate_hz, 0.1)

    def push(self, channel: Complex) -> SoundArray:
        """Envelope over its own mean, less one."""
        size = np.abs(channel)
        return np.asarray(size / np.maximum(self._level.push(size), 1e-12) - 1.0, np.float32)


class Synchronous:
    """AM against its own carrier, found by a mean over a fraction of a second: a fade of the carrier alone cuts less.

    In phase is what is heard; noise in quadrature is not, and one sideband's fading does not distort.
    """

    def __init__(self, rate_hz: float) -> None:
        self._carrier = SlowMean(rate_hz, 0.05)
        self._level = SlowMean(rate_hz, 0.1)

    def push(self, channel: Complex) -> SoundArray:
        """The part in phase with the carrier, over its mean, less one."""
        carrier = self._carrier.push(channel)
        turned = (channel * carrier.conj()).real / np.maximum(np.abs(carrier), 1e-12)
        level = self._level.push(turned.astype(np.float32))
        return np.asarray(turned / np.maximum(level, 1e-12) - 1.0, np.float32)


class Product:
    """SSB and CW: what the channel filter left, its pitch moved up by `pitch_hz`, as a real tone."""

    def __init__(self, rate_hz: float, pitch_hz: float = 0.0) -> None:
        self._turns = pitch_hz / rate_hz
        self._index = 0

    def push(self, channel: Complex) -> SoundArray:
        """The real part."""
        if not self._turns:
            return channel.real
        moved = channel * phasor(self._turns, self._index, channel.size)
        self._index += channel.size
        return np.asarray(moved.real, np.float32)


class Frequency:
    """FM by the turn from one sample to the next: full scale is the deviation given."""

    def __init__(self, rate_hz: float, deviation_hz: float) -> None:
        self._scale = np.float32(rate_hz / (2 * np.pi * deviation_hz))
        self._last = np.ones(1, np.complex64)

    def push(self, channel: Complex) -> SoundArray:
        """Hertz over the deviation."""
        if not channel.size:
            return np.empty(0, np.float32)
        joined = np.concatenate([self._last, channel])
        self._last = channel[-1:].copy()
        return np.asarray(np.angle(joined[1:] * joined[:-1].conj()) * self._scale, np.float32)
