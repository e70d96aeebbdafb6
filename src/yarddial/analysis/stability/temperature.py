"""How an oscillator follows the temperature, where the person noted it."""

from collections.abc import Sequence

import msgspec
import numpy as np

from yarddial.analysis.stability.track import Point
from yarddial.yard.errors import BadSamples
from yarddial.yard.frequency import format_number

# Fewer readings, or a smaller range of temperatures, tell no slope.
FEWEST, LEAST_K = 4, 5.0
# A slope within so many of its doubts of none is none.
SURE_SIGMA = 2.0


class Slope(msgspec.Struct, frozen=True):
    """y = level + slope (T - middle): in ppm and ppm a kelvin, each with its doubt; scatter_ppm about it."""

    level_ppm: float
    slope_ppm_k: float
    sigma_ppm_k: float
    middle_c: float
    scatter_ppm: float

    def at(self, temperature_c: float) -> float:
        """Error at a temperature, ppm."""
        return self.level_ppm + self.slope_ppm_k * (temperature_c - self.middle_c)

    def sentence(self) -> str:
        """In plain words."""
        if abs(self.slope_ppm_k) < SURE_SIGMA * self.sigma_ppm_k:
            return "it does not follow the temperature as far as can be seen"
        slope = format_number(self.slope_ppm_k, self.sigma_ppm_k, signed=True)
        doubt = format_number(self.sigma_ppm_k, self.sigma_ppm_k / 3)
        return f"it follows the temperature by {slope} ± {doubt} ppm a kelvin"


def fit_slope(points: Sequence[Point], temperatures_c: Sequence[float]) -> Slope:
    """Fit a straight line of error over temperature, weighted, its doubt by the scatter where that is larger.

    Raises
    ------
    BadSamples
        Fewer than four readings, or less than 5 K between the coldest and the warmest.
    """
    if len(points) < FEWEST:
        raise BadSamples(f"{len(points)} readings with a temperature tell no slope: note it with {FEWEST} or more")
    warmth = np.array(temperatures_c, float)
    if np.ptp(warmth) < LEAST_K:
        raise BadSamples(f"the temperatures noted lie within {np.ptp(warmth):.1f} K: {LEAST_K:g} K or more are needed")
    value = np.array([point.ppm for point in points])
    weight = 1 / np.array([max(point.sigma_ppm, 1e-6) for point in points])
    middle_c = float(np.average(warmth, weights=weight**2))
    rows = np.stack([np.ones_like(warmth), warmth - middle_c], axis=1) * weight[:, None]
    covariance = np.linalg.inv(rows.T @ rows)
    level, slope = (covariance @ rows.T @ (value * weight)).tolist()
    rest = value - level - slope * (warmth - middle_c)
    worse = max(float(np.sum((rest * weight) ** 2)) / (len(points) - 2), 1.0)
    return Slope(level, slope, float((covariance[1, 1] * worse) ** 0.5), middle_c, float(np.std(rest)))
