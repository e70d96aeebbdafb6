"""The 3:1 test: with X dB of attenuation a signal falls by X, a third-order product by 3 X, a second-order one by 2
X.
"""

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.errors import BadSamples

Density = NDArray[np.float32]
LineOrigin = Literal["signal", "product", "undecided"]
# Minimum height of a line above its surroundings, and its maximum half width in bins; the centre spike is excluded.
LINE_OVER_MEDIAN_DB, HALF_BINS, MIN_HZ, SPAN_SHARE = 10.0, 3, 2_000.0, 0.42
# Range of bins beside a line for the local noise.
FLOOR_BINS_BESIDE = (8, 40)
# Minimum error of a steady line's level (gain steps, window), and the significance required for a verdict.
MIN_SIGMA_DB, MIN_SIGNIFICANCE_SIGMA = 0.5, 3.0
MAX_LINES = 60


class JudgedLine(msgspec.Struct, frozen=True):
    """A judged line: offset from the centre, level without the attenuation, its fall, and the verdict.

    order : 1 of a signal, 2 or 3 of a product, 0 where it is not decided. sigma_db : uncertainty of the fall.
    vanished : it fell under the noise, so its fall is only known to be as much as it stood over it.
    """

    offset_hz: float
    level_dbfs: float
    fall_db: float
    sigma_db: float
    order: int
    vanished: bool

    @property
    def kind(self) -> LineOrigin:
        """Kind of line: signal, second- or third-order product, or undecided."""
        return "undecided" if not self.order else "signal" if self.order == 1 else "product"


def judge_lines(
    without: Sequence[Density], with_it: Sequence[Density], rate_hz: float, less_db: float
) -> list[JudgedLine]:
    """Evaluate every line above the threshold, strongest first.

    Parameters
    ----------
    without, with_it : sequences of ndarray, shape (bins,)
        Power densities of the span, low end first, in turn without and with the attenuation.
    rate_hz : float
        Of the samples. less_db : the attenuation.

    Raises
    ------
    BadSamples
        Fewer than two of either, or less than 3 dB of attenuation.
    """
    if min(len(without), len(with_it)) < 2:
        raise BadSamples("the test needs the span twice with and twice without the attenuation: go on measuring")
    if less_db < 3:
        raise BadSamples(f"{less_db:g} dB of attenuation tell orders apart badly: use 3 dB or more")
    high, low = np.stack(without).astype(float), np.stack(with_it).astype(float)
    judged_lines = [_judged(high, low, at, rate_hz, less_db) for at in _lines(high.mean(axis=0), rate_hz)]
    return sorted(judged_lines, key=lambda line: -line.level_dbfs)[:MAX_LINES]


def _lines(density: NDArray[np.float64], rate_hz: float) -> list[int]:
    """Bins of the lines' maxima."""
    hertz = (np.arange(density.size) / density.size - 0.5) * rate_hz
    clear = (np.abs(hertz) > MIN_HZ) & (np.abs(hertz) < SPAN_SHARE * rate_hz)
    tops = []
    for at in np.flatnonzero(clear):
        around = density[max(at - HALF_BINS, 0) : at + HALF_BINS + 1]
        if density[at] == around.max() and density[at] > _beside(density, int(at)) * 10 ** (LINE_OVER_MEDIAN_DB / 10):
            tops.append(int(at))
    return tops


def _beside(density: NDArray[np.float64], at: int) -> float:
    near, far = FLOOR_BINS_BESIDE
    both = [density[max(at - far, 0) : max(at - near, 0)], density[at + near : at + far]]
    return float(np.median(np.concatenate(both)))


def _judged(high: NDArray[np.float64], low: NDArray[np.float64], at: int, rate_hz: float, less_db: float) -> JudgedLine:
    bin_hz = rate_hz / high.shape[1]
    bins = slice(max(at - HALF_BINS, 0), at + HALF_BINS + 1)
    power_high, power_low = (each[:, bins].sum(axis=1) * bin_hz for each in (high, low))
    width = (bins.stop - bins.start) * bin_hz
    floor_high, floor_low = (_beside(each.mean(axis=0), at) * width for each in (high, low))
    line = max(float(power_high.mean()) - floor_high, 1e-20)
    falls_db = 10 * np.log10(power_low / power_high)
    # Repetitions show a line's own fluctuation; the noise beside it shows that of the noise.
    count = min(len(high), len(low))
    moves_db = max(float(np.std(falls_db[:count], ddof=1)) / count**0.5, MIN_SIGMA_DB)
    noise_db = 4.34 * _scatter(low, at)
    seen_db = 10 * np.log10(float(power_low.mean()))
    away, sigmas_db = {}, {}
    for n in (1, 2, 3):
        still = line * 10 ** (-n * less_db / 10)
        share = still / (still + floor_low)
        sigmas_db[n] = float(np.hypot(share * moves_db, (1 - share) * noise_db))
        away[n] = abs(seen_db - 10 * np.log10(still + floor_low)) / sigmas_db[n]
    order = _decided(away)
    sigma_db = sigmas_db[min(away, key=lambda n: away[n])]
    left = float(power_low.mean()) - floor_low
    vanished = left < floor_low * 0.25
    fall_db = 10 * np.log10(line / max(left, 0.25 * floor_low))
    return JudgedLine(
        (at / high.shape[1] - 0.5) * rate_hz, 10 * float(np.log10(line)), float(fall_db), sigma_db, order, vanished
    )


def _scatter(density: NDArray[np.float64], at: int) -> float:
    """Relative scatter of the noise in a line's bins."""
    near, far = FLOOR_BINS_BESIDE
    mean = density.mean(axis=0)
    beside = np.concatenate([mean[max(at - far, 0) : max(at - near, 0)], mean[at + near : at + far]])
    # Half a bin's scatter remains in seven overlapping Hann bins; the median ignores other lines.
    middle = float(np.median(beside))
    return float(1.48 * np.median(np.abs(beside - middle)) / middle * 1.5 / np.sqrt(2 * HALF_BINS + 1))


def _decided(away: dict[int, float]) -> int:
    """Order that fits while the others do not: it separates signals from products, not products from each other."""
    best = min(away, key=lambda n: away[n])
    others = [away[n] for n in away if (n == 1) != (best == 1)]
    if (
        away[best] > MIN_SIGNIFICANCE_SIGMA + 1.0
        or min(others) < MIN_SIGNIFICANCE_SIGMA
        or min(others) < away[best] + 1.5
    ):
        return 0
    return best
