"""Resampling to the sound card's rate: windowed sincs as one matrix product."""

from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.windows import windows

SoundArray = NDArray[np.float32]
# Taps on each side when only images are cut; rates are approximated by fractions no longer than this.
TAPS_A_SIDE, MAX_FRACTION_TERM, ROW_OUTPUTS = 24, 400, 16


class Resampler:
    """A real stream from one rate to another, block after block.

    Output k lies at input k x rate / out_rate, the first at the first input.

    Parameters
    ----------
    rate_hz, wanted_hz : float
        Of what comes, and of what is wanted; `out_rate_hz` is what is given, within 7 ppm, exact for simple ratios.
    cut_hz : float
        Where the response is half: 70 dB down from half the lower rate on when it is cut at 0.42 of that.
    """

    def __init__(self, rate_hz: float, wanted_hz: float, cut_hz: float) -> None:
        ratio = Fraction(rate_hz / wanted_hz).limit_denominator(MAX_FRACTION_TERM)
        # Outputs made together share their inputs.
        together = max(1, ROW_OUTPUTS // ratio.denominator)
        self._ins, self._outs = together * ratio.numerator, together * ratio.denominator
        self.out_rate_hz = rate_hz * self._outs / self._ins
        self._sides = int(np.ceil(TAPS_A_SIDE * max(rate_hz / wanted_hz, 1.0)))
        self._matrix = _between(self._ins, self._outs, self._sides, round(cut_hz / rate_hz, 9))
        self._held = np.zeros(self._sides - 1, np.float32)

    def push(self, samples: SoundArray) -> SoundArray:
        """Take samples; return those of the other rate that are complete."""
        if self._ins == self._outs:
            return samples
        joined = np.concatenate([self._held, samples])
        rows = max((joined.size - 2 * self._sides) // self._ins, 0)
        if not rows:
            self._held = joined
            return np.empty(0, np.float32)
        out = windows(joined, self._matrix.shape[0], self._ins, rows) @ self._matrix
        self._held = joined[rows * self._ins :].copy()
        return np.asarray(out.reshape(-1), np.float32)


@lru_cache(maxsize=16)
def _between(ins: int, outs: int, sides: int, cut: float) -> SoundArray:
    """Taps for `outs` outputs among `ins` inputs and their neighbours, shape (ins + 2 sides, outs)."""
    away = np.arange(ins + 2 * sides)[:, None] - (sides - 1) - np.arange(outs)[None, :] * (ins / outs)
    window = np.i0(7.0 * np.sqrt(np.clip(1 - (away / sides) ** 2, 0, None))) / np.i0(7.0)
    taps = np.where(np.abs(away) < sides, 2 * cut * np.sinc(2 * cut * away) * window, 0.0)
    return np.asarray(taps / taps.sum(axis=0), np.float32)
