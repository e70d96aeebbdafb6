"""Cutting one slice out of a wide stream: mix, filter and decimate in one matrix product."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor

Complex = NDArray[np.complex64]

# Length of the filter in decimated samples: 8 keep what would alias into the clean part 75 dB down (66 when
# decimating by four), and 8 columns
# make the matrix product cheap; twice as many would cost as much as the twice finer decimation saves.
SPREAD = 8
# Half width of the slice that is flat (to 0.003 dB) and free of alias, as a fraction of the decimated rate.
CLEAN_FRACTION = 0.19


def decimation_for(rate_hz: float, half_width_hz: float) -> int:
    """Largest power of two by which a stream can be decimated and still hold +-half_width_hz free of alias."""
    factor = 1
    while rate_hz / (2 * factor) * CLEAN_FRACTION >= half_width_hz and factor < 4096:
        factor *= 2
    return factor


@lru_cache(maxsize=32)
def _lowpass(factor: int) -> NDArray[np.float64]:
    """Kaiser-windowed sinc of SPREAD x factor taps, unit gain at zero, cut at half the decimated rate."""
    count = SPREAD * factor
    n = np.arange(count) - (count - 1) / 2
    taps = np.sinc(n / factor) * np.kaiser(count, 7.86)
    normalised: NDArray[np.float64] = taps / taps.sum()
    return normalised


class Decimator:
    """Mix a stream so that `offset_hz` comes to zero and keep 1 sample in `factor`, block after block.

    Feeding a stream in pieces gives the same samples as feeding it whole. Output sample k is centred on input
    sample k * factor + delay, `delay` = (SPREAD * factor - 1) / 2 samples.
    """

    def __init__(self, rate_hz: float, offset_hz: float, factor: int) -> None:
        self.rate_hz = rate_hz
        self.factor = factor
        self.out_rate_hz = rate_hz / factor
        # In cycles a sample; kept as a remainder so that phases stay exact for days.
        self._turns = offset_hz / rate_hz
        taps = _lowpass(factor) * np.exp(-2j * np.pi * self._turns * np.arange(SPREAD * factor))
        self._taps = np.ascontiguousarray(taps.reshape(SPREAD, factor).T.astype(np.complex64))
        self._left = np.empty(0, np.complex64)
        self._rows = np.empty((0, SPREAD), np.complex64)
        self._out_index = 0

    @property
    def delay_samples(self) -> float:
        """Input samples by which an output sample lags behind its newest-but-all input."""
        return (SPREAD * self.factor - 1) / 2

    def push(self, samples: Complex) -> Complex:
        """Take more input and return the decimated samples that are now complete."""
        if self.factor == 1:
            return self._mix_only(samples)
        data = samples if self._left.size == 0 else np.concatenate([self._left, samples])
        rows = data.size // self.factor
        # A copy: the caller may use its buffer again.
        self._left = data[rows * self.factor :].copy()
        partial = data[: rows * self.factor].reshape(rows, self.factor) @ self._taps
        partial = np.concatenate([self._rows, partial])
        count = partial.shape[0] - SPREAD + 1
        if count <= 0:
            self._rows = partial
            return np.empty(0, np.complex64)
        out = partial[:count, 0].copy()
        for j in range(1, SPREAD):
            out += partial[j : j + count, j]
        self._rows = partial[count:].copy()
        return self._rotate(out, self.factor)

    def _mix_only(self, samples: Complex) -> Complex:
        return self._rotate(np.asarray(samples, np.complex64), 1)

    def _rotate(self, out: Complex, step: int) -> Complex:
        # The taps mix with the phase of each output's own first input; this brings all onto one phase.
        rotated: Complex = out * phasor(-self._turns * step, self._out_index, out.size)
        self._out_index += out.size
        return rotated


def decimate(samples: Complex, rate_hz: float, offset_hz: float, factor: int) -> Complex:
    """Decimate a whole array; see `Decimator`. The first sample is centred `delay_samples` into the input."""
    return Decimator(rate_hz, offset_hz, factor).push(samples)
