"""By how many decibels one of two powers stands over the other, measured in turn while both fade."""

from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.errors import BadSamples

# The range stated holds at least 19 times in 20: quantiles for 32 in 33, for the sum of bounded terms has heavier
# tails than the t distribution when few pairs are had.
HOLDS = 0.97
FEWEST_PAIRS = 6
# Sigma of a correlation that chance alone makes.
CHANCE = 0.8
# Share of their own variance under which the two levels' difference shows that they fade together.
TOGETHER = 0.3
FURTHEST_DB = 90.0
# Halvings until a bound is known to a ten-thousandth of a decibel.
HALVINGS = 22


class Difference(msgspec.Struct, frozen=True):
    """Second minus first in dB, and the range that holds it at least 19 times in 20.

    independent : as how many pairs these count, where neighbouring ones err alike because each fades slowly by itself.
    """

    db: float
    low_db: float
    high_db: float
    pairs: int
    independent: float

    @property
    def is_settled(self) -> bool:
        """False while too few fades have passed for the range to be relied on."""
        return self.independent >= FEWEST_PAIRS

    @property
    def is_sure(self) -> bool:
        """True when the range leaves nought out."""
        return self.low_db > 0 or self.high_db < 0


def difference(first: Sequence[float], second: Sequence[float]) -> Difference:
    """Compare powers measured in pairs, of which the order within each was drawn by lot.

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

    Raises
    ------
    BadSamples
        Fewer than 6 pairs, or unequal numbers.

    References
    ----------
    .. [1] Balakrishnan, Handbook of the Logistic Distribution (1992), section 2.
    .. [2] Geyer, Statistical Science 7 (1992) 473-483, section 3.3.
    """
    a, b = np.asarray(first, float), np.asarray(second, float)
    if a.size != b.size:
        raise BadSamples(f"{a.size} measurements of one and {b.size} of the other make no pairs: measure both in turn")
    if a.size < FEWEST_PAIRS:
        raise BadSamples(f"{a.size} pairs tell nothing yet: measure {FEWEST_PAIRS} or more")

    def u_at(db: float) -> NDArray[np.float64]:
        g = 10 ** (db / 10)
        size = np.abs(b) + g * np.abs(a)
        return np.asarray(np.divide(b - g * a, size, out=np.zeros_like(a), where=size > 0))

    likeliest_db = _falls_through(lambda db: float(u_at(db).mean()))
    independent = min(a.size / _alike(u_at(likeliest_db)), _fades(a, b))

    def score(db: float) -> tuple[float, float]:
        """Mean of u, and its standard error."""
        u = u_at(db)
        return float(u.mean()), float(u.std(ddof=1) / np.sqrt(independent))

    t = _student(max(independent - 1, 1.0))
    return Difference(
        likeliest_db,
        _falls_through(lambda db: score(db)[0] - t * score(db)[1]),
        _falls_through(lambda db: score(db)[0] + t * score(db)[1]),
        a.size,
        independent,
    )


def _fades(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """As how many pairs these count by the levels themselves, where the two do not fade together.

    Two that fade each by itself and hardly change in the time measured look like two that differ: the pairs agree, and
    only the slowness of each one's own level betrays it. Where both go together it costs nothing.
    """
    first, second = (np.log(np.maximum(power, 1e-3 * np.mean(np.abs(power)) + 1e-300)) for power in (a, b))
    own = float(np.var(first) + np.var(second))
    if own <= 1e-6 or float(np.var(second - first)) < TOGETHER * own:
        return float(a.size)
    return float(a.size / max(_alike(first), _alike(second)))


def _alike(u: NDArray[np.float64]) -> float:
    """How many pairs in a row count as one: 1 + 2 sum of the correlations up to the first that is not positive."""
    u = u - u.mean()
    variance = float(u @ u)
    if variance <= 1e-9:
        return 1.0
    tau = 1.0
    for lag in range(1, u.size // 2):
        # The mean that is taken off makes each correlation too small by about tau / n.
        correlation = float(u[lag:] @ u[:-lag]) / variance * u.size / (u.size - lag) + tau / u.size
        # A correlation that chance makes of independent ones is none.
        if correlation <= CHANCE / np.sqrt(u.size):
            break
        tau += 2 * correlation
    return min(tau, u.size / 2.0)


def _student(degrees: float) -> float:
    from scipy.special import stdtrit

    return float(stdtrit(degrees, 0.5 + HOLDS / 2))


def _falls_through(function: Callable[[float], float]) -> float:
    """Where a function that falls passes nought; an end where it does not within 90 dB."""
    low, high = -FURTHEST_DB, FURTHEST_DB
    if function(low) <= 0:
        return low
    if function(high) >= 0:
        return high
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if function(middle) > 0 else (low, middle)
    return (low + high) / 2
