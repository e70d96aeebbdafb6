"""Warm-up of an oscillator: total change, time constant, and when it is steady."""

from collections.abc import Sequence
from math import exp, log

import msgspec
import numpy as np

from yarddial.analysis.stability.track import Point
from yarddial.yard.errors import BadSamples
from yarddial.yard.plain_text import count_of

MIN_POINTS = 8
# Initial time constants as shares of the run; a run shorter than the time constant has not settled.
FIRST_SHARES = np.geomspace(0.02, 2.0, 24)
# Significance in sigma that a fitted warm-up needs.
MIN_SIGNIFICANCE_SIGMA = 4.0


class WarmUp(msgspec.Struct, frozen=True):
    """y(t) = settled + size exp(-t / tau), in ppm of the oscillator, t from the run's start.

    steady_after_s : when what is left is within the tolerance; 0 where it was from the start. has_settled : the run
    was long enough to see it. scatter_ppm : one sigma about the fit. left_ppm : what was left at
    the run's end; rough, as long as that has not settled.
    """

    settled_ppm: float
    settled_sigma_ppm: float
    size_ppm: float
    tau_s: float
    steady_after_s: float
    tolerance_ppm: float
    has_settled: bool
    scatter_ppm: float
    left_ppm: float

    def without(self, points: Sequence[Point]) -> tuple[Point, ...]:
        """Subtract the warm-up: the remainder wanders about the settled value."""
        begin_s = points[0].time_s
        return tuple(
            msgspec.structs.replace(point, ppm=point.ppm - self.size_ppm * exp(-(point.time_s - begin_s) / self.tau_s))
            for point in points
        )

    def sentence(self) -> str:
        """The warm-up as a sentence."""
        if self.steady_after_s <= 0:
            return f"steady from the start, within {self.tolerance_ppm:.2g} ppm"
        if not self.has_settled:
            moved_ppm = abs(self.size_ppm - self.left_ppm)
            return f"still warming up: it moved by {moved_ppm:.2g} ppm, some {abs(self.left_ppm):.1g} to go; watch on"
        return f"steady after {self.steady_after_s / 60:.0f} min, within {self.tolerance_ppm:.2g} ppm"


def fit_warm_up(points: Sequence[Point], tolerance_ppm: float = 0.1) -> WarmUp:
    """Fit an exponential: linear least squares in level and size for each time constant; refine the best.

    Raises
    ------
    BadSamples
        Fewer than 8 points, or no time between them.
    """
    if len(points) < MIN_POINTS or points[-1].time_s <= points[0].time_s:
        raise BadSamples(f"{count_of(len(points), 'point')}: too few to tell a warm-up; watch longer")
    time_s = np.array([point.time_s - points[0].time_s for point in points])
    value = np.array([point.ppm for point in points])
    weight = 1 / np.array([max(point.sigma_ppm, 1e-9) for point in points])
    span_s = float(time_s[-1])

    def cost(tau_s: float) -> tuple[float, np.ndarray, np.ndarray]:
        rows = np.stack([np.ones_like(time_s), np.exp(-time_s / tau_s)], axis=1) * weight[:, None]
        coefficients, *_ = np.linalg.lstsq(rows, value * weight, rcond=None)
        rest = value * weight - rows @ coefficients
        return float(rest @ rest), coefficients, rows

    taus = FIRST_SHARES * span_s
    for _ in range(4):
        best = int(np.argmin([cost(tau)[0] for tau in taus.tolist()]))
        low, high = taus[max(best - 1, 0)], taus[min(best + 1, taus.size - 1)]
        taus = np.geomspace(low, high, 16)
    tau_s = float(taus[int(np.argmin([cost(tau)[0] for tau in taus.tolist()]))])
    left, (settled, size), rows = cost(tau_s)
    scale = max(left / max(len(points) - 3, 1), 1.0) ** 0.5
    covariance = np.linalg.inv(rows.T @ rows) * scale**2
    scatter = float(np.std(value - settled - size * np.exp(-time_s / tau_s)))
    is_warm = abs(size) < max(MIN_SIGNIFICANCE_SIGMA * float(covariance[1, 1] ** 0.5), tolerance_ppm)
    steady_s = 0.0 if is_warm else tau_s * log(max(abs(size) / tolerance_ppm, 1.0))
    return WarmUp(
        float(settled),
        float(covariance[0, 0] ** 0.5),
        float(size),
        tau_s,
        steady_s,
        tolerance_ppm,
        is_warm or (steady_s <= span_s and tau_s < 0.7 * span_s),
        scatter,
        float(size * np.exp(-span_s / tau_s)),
    )
