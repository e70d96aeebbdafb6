"""Level difference of two signals in decibels, measured alternately while both fade."""

from collections.abc import Callable, Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.comparison.independence import require_independent
from yarddial.yard.errors import BadSamples

BetterOne = Literal["first", "second", "alike", "unsure", "no signal"]

# Quantiles for 32 in 33, so that the range holds 19 times in 20: with few pairs the sum of bounded terms has heavier
# tails than the t distribution.
QUANTILE_COVERAGE = 0.97
MIN_PAIRS = 6
# A mean this many standard errors above zero is a signal; noise alone exceeds it in 3 of a million comparisons.
STANDS_OUT = 4.7
# A level this many standard deviations above zero is clear of noise; differences below the second value are inaudible.
CLEAR_SIGMAS, ALIKE_DB = 8.0, 1.0
# Standard deviation of a correlation coefficient between independent levels.
CHANCE_CORRELATION = 0.8
# Below this share of their own variance, the levels' difference shows that they fade together.
COMMON_FADING_SHARE = 0.3
FURTHEST_DB = 90.0
# Half width of the normal distribution's middle 95 %, in standard deviations.
NORMAL_95 = 1.96
# Bisection steps for a bound to a ten-thousandth of a decibel.
BISECTION_STEPS = 22


class Difference(msgspec.Struct, frozen=True):
    """Second minus first in dB, with the range that holds it at least 19 times in 20.

    independent : equivalent number of independent pairs, since slow fading correlates neighbours.
    has_signal : whether either of the two exceeds the noise.
    """

    db: float
    low_db: float
    high_db: float
    pairs: int
    independent: float
    has_signal: bool = True

    @property
    def verdict(self) -> BetterOne:
        """The better of the two, if the interval decides."""
        if not self.has_signal:
            return "no signal"
        if not self.is_settled:
            return "unsure"
        if max(abs(self.low_db), abs(self.high_db)) < ALIKE_DB:
            return "alike"
        if not self.is_sure:
            return "unsure"
        return "second" if self.low_db > 0 else "first"

    def widened(self, sigma_db: float) -> "Difference":
        """Difference with a range that also holds a common error of both levels, one sigma in dB.

        Half the range and 1.96 sigma add in quadrature; no number of pairs makes this error less.
        """
        reach_db = NORMAL_95 * sigma_db
        low_db = self.db - float(np.hypot(self.db - self.low_db, reach_db))
        high_db = self.db + float(np.hypot(self.high_db - self.db, reach_db))
        return msgspec.structs.replace(self, low_db=low_db, high_db=high_db)

    @property
    def is_settled(self) -> bool:
        """Return False while too few fades have passed for the range to be reliable."""
        return self.independent >= MIN_PAIRS

    @property
    def is_sure(self) -> bool:
        """Return True when the interval excludes zero."""
        return self.low_db > 0 or self.high_db < 0


def difference(
    first: Sequence[float],
    second: Sequence[float],
    scatter: tuple[Sequence[float], Sequence[float]] | None = None,
    floor_sigmas: tuple[float, float] = (0.0, 0.0),
) -> Difference:
    """Compare powers measured in pairs whose order was drawn at random.

    Each pair gives u = (b - g a) / (b + g a), g the ratio supposed; its mean vanishes at the ratio that fits. Where a
    and b fade independently as Rayleigh has it, log (b / a) is logistic and u is its score: the estimate is then the
    likeliest one [1]_. u is bounded, so that a deep fade, in which noise has been taken off a power to nothing, cannot
    carry the mean away. Fading that is the same for both leans towards either side by lot, so pairs err independently
    however slow it is, and Student's t of u is the range. Where each fades by itself, neighbouring pairs err alike:
    tau pairs then count as one, tau summed over their correlations up to the first that is not positive [2]_.

    Parameters
    ----------
    first, second : sequence of float
        Linear powers, or ratios of powers, by pair; a power from which noise was taken off may be below 0.
    scatter : two sequences of float, optional
        One sigma of each power by noise alone. Where the powers hardly exceed it, their ratio is no longer a logistic
        variable: the range is then Fieller's [3]_, of the ratio of two means, and where neither mean stands out there
        is no signal.
    floor_sigmas : two floats
        How far the mean of each may be off, as the noise taken off was measured beside it: no number of pairs makes
        that less, so it counts in full against a signal and for a wider range.

    Raises
    ------
    BadSamples
        Fewer than 6 pairs, unequal numbers, or pairs that repeat earlier ones bit for bit.

    References
    ----------
    .. [1] Balakrishnan, Handbook of the Logistic Distribution (1992), section 2.
    .. [2] Geyer, Statistical Science 7 (1992) 473-483, section 3.3.
    .. [3] Fieller, J. Royal Stat. Soc. B 16 (1954) 175-185.
    """
    a, b = np.asarray(first, float), np.asarray(second, float)
    if a.size != b.size:
        raise BadSamples(f"{a.size} measurements of one and {b.size} of the other make no pairs: measure both in turn")
    if a.size < MIN_PAIRS:
        raise BadSamples(f"{a.size} pairs tell nothing yet: measure {MIN_PAIRS} or more")
    require_independent(list(zip(a.tolist(), b.tolist(), strict=True)), "pairs")

    if scatter is not None:
        noises = [np.asarray(floor_bins, float) for floor_bins in scatter]
        uncertainties = zip((a, b), noises, floor_sigmas, strict=True)
        if not any(_stands_out(power - off, noise) for power, noise, off in uncertainties):
            return Difference(0.0, -FURTHEST_DB, FURTHEST_DB, a.size, float(a.size), has_signal=False)
        clear = [
            float(np.median(power)) / float(np.median(floor_bins))
            for power, floor_bins in zip((a, b), noises, strict=True)
        ]
        medians = float(np.median(a)), float(np.median(b))
        is_near = any(power < 2 * CLEAR_SIGMAS * off for power, off in zip(medians, floor_sigmas, strict=True))
        if min(clear) < CLEAR_SIGMAS or is_near:
            return _of_means(a, b, floor_sigmas)

    def u_at(db: float) -> NDArray[np.float64]:
        g = 10 ** (db / 10)
        size = np.abs(b) + g * np.abs(a)
        return np.asarray(np.divide(b - g * a, size, out=np.zeros_like(a), where=size > 0))

    likeliest_db = _falls_through(lambda db: float(u_at(db).mean()))
    independent = min(a.size / _alike(u_at(likeliest_db)), _fades(a, b))

    def score(db: float) -> tuple[float, float]:
        """Mean of u and its standard error."""
        u = u_at(db)
        return float(u.mean()), float(u.std(ddof=1) / np.sqrt(independent))

    t = _student(max(independent - 1, 1.0), QUANTILE_COVERAGE)
    return Difference(
        likeliest_db,
        _falls_through(lambda db: score(db)[0] - t * score(db)[1]),
        _falls_through(lambda db: score(db)[0] + t * score(db)[1]),
        a.size,
        independent,
    )


def _stands_out(power: NDArray[np.float64], noise: NDArray[np.float64]) -> bool:
    """Return True when the mean exceeds zero by more than noise explains."""
    return bool(power.mean() > STANDS_OUT * float(np.sqrt(np.mean(noise**2))) / np.sqrt(power.size))


def _of_means(a: NDArray[np.float64], b: NDArray[np.float64], uncertainties: tuple[float, float]) -> Difference:
    """Ratio of the means of noisy powers: all g for which the mean of b - g a may be zero (Fieller)."""

    def t_at(db: float, side: int) -> float:
        rest = b - side * uncertainties[1] - 10 ** (db / 10) * (a + side * uncertainties[0])
        independent = min(rest.size / _alike(rest), rest.size)
        return float(rest.mean() / max(rest.std(ddof=1) / np.sqrt(independent), 1e-300))

    rest = b - max(float(b.mean()), 1e-30) / max(float(a.mean()), 1e-30) * a
    independent = rest.size / _alike(rest)
    t = _student(max(independent - 1, 1.0), QUANTILE_COVERAGE)
    min_power = 1e-9 * max(abs(float(a.mean())), abs(float(b.mean())))
    likeliest_db = 10 * float(np.log10(max(float(b.mean()), min_power) / max(float(a.mean()), min_power)))
    return Difference(
        float(np.clip(likeliest_db, -FURTHEST_DB, FURTHEST_DB)),
        _falls_through(lambda db: t_at(db, 1) - t),
        _falls_through(lambda db: t_at(db, -1) + t),
        a.size,
        float(independent),
    )


def _fades(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Equivalent number of independent pairs, from the levels themselves, where the two do not fade together.

    Two levels that fade independently and slowly look like a constant difference: the pairs agree, and only the slow
    change of each level reveals it. When both fade together the correction costs nothing.
    """
    first, second = (np.log(np.maximum(power, 1e-3 * np.mean(np.abs(power)) + 1e-300)) for power in (a, b))
    own = float(np.var(first) + np.var(second))
    if own <= 1e-6 or float(np.var(second - first)) < COMMON_FADING_SHARE * own:
        return float(a.size)
    return float(a.size / max(_alike(first), _alike(second)))


def _alike(u: NDArray[np.float64]) -> float:
    """Number of successive pairs that count as one: 1 + 2 sum of the correlations up to the first non-positive one."""
    u = u - u.mean()
    variance = float(u @ u)
    if variance <= 1e-9:
        return 1.0
    tau = 1.0
    for lag in range(1, u.size // 2):
        # Subtracting the mean makes each correlation too small by about tau / n.
        correlation = float(u[lag:] @ u[:-lag]) / variance * u.size / (u.size - lag) + tau / u.size
        # Ignore a correlation that independent samples would show by chance.
        if correlation <= CHANCE_CORRELATION / np.sqrt(u.size):
            break
        tau += 2 * correlation
    return min(tau, u.size / 2.0)


def _student(degrees: float, holds: float) -> float:
    from scipy.special import stdtrit

    return float(stdtrit(degrees, 0.5 + holds / 2))


def _falls_through(function: Callable[[float], float]) -> float:
    """Find the zero of a falling function; return the end of the range when there is none within 90 dB."""
    low, high = -FURTHEST_DB, FURTHEST_DB
    if function(low) <= 0:
        return low
    if function(high) >= 0:
        return high
    for _ in range(BISECTION_STEPS):
        middle = (low + high) / 2
        low, high = (middle, high) if function(middle) > 0 else (low, middle)
    return (low + high) / 2
