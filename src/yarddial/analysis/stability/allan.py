"""Allan deviation of a track, with its confidence range and in plain words."""

from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.analysis.stability.track import Point
from yarddial.yard.errors import BadSamples
from yarddial.yard.plain_text import count_of

MIN_POINTS = 16
# Allowed deviation of a step from its median, or from a multiple of it where points are missing.
MAX_STEP_DEVIATION = 0.2


class Allan(msgspec.Struct, frozen=True):
    """Averaging time in seconds, fractional deviation, and its range that holds two times in three."""

    tau_s: float
    deviation: float
    low: float
    high: float


def allan_deviation(points: Sequence[Point]) -> tuple[Allan, ...]:
    """Overlapping Allan deviation by octaves [1]_; missed points are left out, at their time.

    Raises
    ------
    BadSamples
        Fewer than 16 points, or times that are no multiples of one step.

    References
    ----------
    .. [1] Riley, NIST Special Publication 1065 (2008), sections 5.2.4 and 5.3; IEEE Std 1139.
    """
    if len(points) < MIN_POINTS:
        raise BadSamples(
            f"{count_of(len(points), 'point')}: too few for an Allan deviation; watch until there are {MIN_POINTS}"
        )
    step_s, places = _places(points)
    values = np.zeros(places[-1] + 1)
    is_there = np.zeros(places[-1] + 1, bool)
    values[places], is_there[places] = [point.ppm * 1e-6 for point in points], True
    # Time error in units of the step: its second difference is a difference of two frequency averages.
    phase = np.concatenate([[0.0], np.cumsum(values)])
    count = np.concatenate([[0], np.cumsum(is_there)])
    deviations = []
    for m in _octaves(len(phase)):
        # Use two adjacent averages only when no point of either is missing.
        is_whole = count[2 * m :] - count[: -2 * m] == 2 * m
        second = (phase[2 * m :] - 2 * phase[m:-m] + phase[: -2 * m])[is_whole]
        if len(second) < 2:
            continue
        tau_s, deviation = m * step_s, float(np.sqrt(np.mean(second**2) / 2) / m)
        # Number of gapless points that would give as many differences.
        points_worth = len(second) + 2 * m - 1
        # Degrees of freedom for white frequency noise, and the spread of chi-square.
        free = max(
            (3 * (points_worth - 1) / (2 * m) - 2 * (points_worth - 2) / points_worth) * 4 * m**2 / (4 * m**2 + 5), 1.0
        )
        low, high = _bounds(free)
        deviations.append(Allan(tau_s, deviation, deviation * low, deviation * high))
    return tuple(deviations)


def _places(points: Sequence[Point]) -> tuple[float, NDArray[np.int64]]:
    """Step between points, and each point's index; missing points leave gaps.

    Raises BadSamples where a point is off the grid.
    """
    steps = np.diff([point.time_s for point in points])
    step_s = float(np.median(steps))
    if step_s > 0:
        counts = np.maximum(np.rint(steps / step_s), 1.0)
        if (np.abs(steps - counts * step_s) <= MAX_STEP_DEVIATION * step_s * counts).all():
            return step_s, np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
    raise BadSamples("the points are not evenly spaced in time: the clock was set meanwhile; watch again")


def _octaves(count: int) -> list[int]:
    """Averaging factors 1, 2, 4, ... that leave at least two differences."""
    return [1 << k for k in range(count.bit_length()) if count - (2 << k) >= 2]


def _bounds(free: float) -> tuple[float, float]:
    """Factors that bound the true deviation two times in three."""
    from scipy.special import chdtri

    return float(np.sqrt(free / chdtri(free, 0.159))), float(np.sqrt(free / chdtri(free, 0.841)))


def in_words(curve: Sequence[Allan], carrier_hz: float) -> str:
    """Meaning for a dial at a frequency, in words."""
    best = min(curve, key=lambda point: point.deviation)
    wander_hz = best.deviation * carrier_hz
    return (
        f"steadiest over {best.tau_s:.3g} s, where it wanders by {best.deviation:.1e} of itself: {wander_hz:.2g} Hz at "
        f"{carrier_hz / 1e6:.4g} MHz"
    )
