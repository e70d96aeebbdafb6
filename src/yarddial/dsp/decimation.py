"""Extraction of a slice from a wide stream: mix, filter and decimate in one matrix product."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor

Complex = NDArray[np.complex64]

# Filter length in output samples. Eight suppress aliases by 75 dB in the clean part (66 dB when decimating by four).
TAPS_A_SAMPLE = 8
# Short rows use the processor badly: up to this factor a row makes several outputs, with 16 columns together.
SHORT_FACTOR, OUTPUTS_A_ROW = 16, 9
# Half width of the flat (0.003 dB), alias-free slice, as a fraction of the decimated rate.
CLEAN_FRACTION = 0.19


def decimation_for(rate_hz: float, half_width_hz: float) -> int:
    """Largest power of two by which a stream can be decimated with +-half_width_hz free of aliases."""
    factor = 1
    while rate_hz / (2 * factor) * CLEAN_FRACTION >= half_width_hz and factor < 4096:
        factor *= 2
    return factor


@lru_cache(maxsize=32)
def _lowpass(factor: int) -> NDArray[np.float64]:
    """Kaiser-windowed sinc of SPREAD x factor taps, unit gain at zero, cut at half the decimated rate."""
    count = TAPS_A_SAMPLE * factor
    n = np.arange(count) - (count - 1) / 2
    taps = np.sinc(n / factor) * np.kaiser(count, 7.86)
    normalised: NDArray[np.float64] = taps / taps.sum()
    return normalised


class Decimator:
    """Shift `offset_hz` to zero and keep one sample in `factor`, block after block.

    Feeding a stream in pieces gives the same samples as feeding it whole. Output sample k is centred on input
    sample k * factor + delay, `delay` = (SPREAD * factor - 1) / 2 samples.
    """

    def __init__(self, rate_hz: float, offset_hz: float, factor: int) -> None:
        self.rate_hz = rate_hz
        self.factor = factor
        self.out_rate_hz = rate_hz / factor
        # Mixer phase in cycles per sample, kept as a remainder so that it stays exact for days.
        self._turns = offset_hz / rate_hz
        taps = _lowpass(factor) * np.exp(-2j * np.pi * self._turns * np.arange(TAPS_A_SAMPLE * factor))
        self._outputs = OUTPUTS_A_ROW if factor <= SHORT_FACTOR else 1
        self._taps = _banded(taps.astype(np.complex64).reshape(TAPS_A_SAMPLE, factor), self._outputs)
        self._left = np.empty(0, np.complex64)
        # Outputs that wait for their last inputs.
        self._sums = np.zeros((-(-self._taps.shape[1] // self._outputs) - 1, self._outputs), np.complex64)
        self._early = TAPS_A_SAMPLE - 1
        self._out_index = 0

    @property
    def delay_samples(self) -> float:
        """Delay of an output sample, in input samples."""
        return (TAPS_A_SAMPLE * self.factor - 1) / 2

    def push(self, samples: Complex) -> Complex:
        """Take more input and return the decimated samples completed by it, a few dozen samples late."""
        if self.factor == 1:
            return self._mix_only(samples)
        partial = self._multiplied(samples)
        rows = partial.shape[0]
        sums = np.concatenate([self._sums, np.zeros((rows, self._outputs), np.complex64)])
        for j in range(self._sums.shape[0] + 1):
            part = partial[:, j * self._outputs : (j + 1) * self._outputs]
            sums[j : j + rows, : part.shape[1]] += part
        self._sums = sums[rows:].copy()
        out = sums[:rows].reshape(-1)
        early = min(self._early, out.size)
        self._early -= early
        return self._rotate(out[early:], self.factor)

    def _multiplied(self, samples: Complex) -> Complex:
        """Multiply rows of input by the taps; only the row that was begun before is copied together."""
        wide = self._taps.shape[0]
        begun = self._left.size
        head = min(wide - begun, samples.size) if begun else 0
        first = np.concatenate([self._left, samples[:head]])
        if begun and first.size < wide:
            self._left = first
            return np.empty((0, self._taps.shape[1]), np.complex64)
        at = 1 if begun else 0
        rows = (samples.size - head) // wide
        partial = np.empty((at + rows, self._taps.shape[1]), np.complex64)
        if begun:
            partial[0] = first @ self._taps
        np.matmul(samples[head : head + rows * wide].reshape(rows, wide), self._taps, out=partial[at:])
        # Copy, because the caller may reuse its buffer.
        self._left = samples[head + rows * wide :].copy()
        return partial

    def _mix_only(self, samples: Complex) -> Complex:
        return self._rotate(np.asarray(samples, np.complex64), 1)

    def _rotate(self, out: Complex, step: int) -> Complex:
        # The taps mix with the phase of each output's first input; rotate all outputs to a common phase.
        rotated: Complex = out * phasor(-self._turns * step, self._out_index, out.size)
        self._out_index += out.size
        return rotated


def decimate(samples: Complex, rate_hz: float, offset_hz: float, factor: int) -> Complex:
    """Decimate a whole array; see `Decimator`. The first output is centred `delay_samples` into the input."""
    decimator = Decimator(rate_hz, offset_hz, factor)
    if factor == 1:
        return decimator.push(samples)
    count = max(samples.size // factor - TAPS_A_SAMPLE + 1, 0)
    return decimator.push(np.concatenate([samples, np.zeros(OUTPUTS_A_ROW * factor, np.complex64)]))[:count]


def _banded(taps: Complex, outputs: int) -> Complex:
    """Arrange the taps of several outputs in one matrix; a row of outputs x factor samples feeds all of them.

    taps : shape (SPREAD, factor).
    """
    factor = taps.shape[1]
    banded = np.zeros((outputs * factor, outputs + TAPS_A_SAMPLE - 1), np.complex64)
    for group in range(outputs):
        for j in range(TAPS_A_SAMPLE):
            banded[group * factor : (group + 1) * factor, group - j + TAPS_A_SAMPLE - 1] = taps[j]
    return banded
