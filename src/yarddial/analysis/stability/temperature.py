"""Temperature dependence of an oscillator, from temperatures that the person noted."""

from collections.abc import Sequence

import msgspec
import numpy as np

from yarddial.analysis.stability.track import Point
from yarddial.yard.errors import BadSamples
from yarddial.yard.frequency import format_number
from yarddial.yard.plain_text import count_of

# Minimum number of readings and temperature range for a slope.
MIN_READINGS, MIN_K = 4, 5.0
# Readings and temperature range needed to fit the cubic beside the slope.
MIN_CUBIC, MIN_CUBIC_K = 7, 20.0
# A slope within this many sigma of zero is reported as none.
MIN_SIGNIFICANCE_SIGMA = 2.0


class Slope(msgspec.Struct, frozen=True):
    """y = level + slope (T - middle) + cubic (T - middle)^3: ppm, a kelvin, a kelvin cubed; scatter_ppm about it.

    The cubic, as crystals of the usual cut have it, is 0 where the range is too small to see it.
    """

    level_ppm: float
    slope_ppm_k: float
    sigma_ppm_k: float
    middle_c: float
    scatter_ppm: float
    cubic_ppm_k3: float = 0.0

    def at(self, temperature_c: float) -> float:
        """Error at a temperature, ppm."""
        away_k = temperature_c - self.middle_c
        return self.level_ppm + self.slope_ppm_k * away_k + self.cubic_ppm_k3 * away_k**3

    def sentence(self) -> str:
        """The slope as a sentence."""
        if abs(self.slope_ppm_k) < MIN_SIGNIFICANCE_SIGMA * self.sigma_ppm_k:
            return "it does not follow the temperature as far as can be seen"
        slope = format_number(self.slope_ppm_k, self.sigma_ppm_k, signed=True)
        uncertainty = format_number(self.sigma_ppm_k, self.sigma_ppm_k / 3)
        bends = ", and curves beyond 10 K" if self.cubic_ppm_k3 else ""
        return f"it follows the temperature by {slope} ± {uncertainty} ppm a kelvin{bends}"


def fit_slope(points: Sequence[Point], temperatures_c: Sequence[float]) -> Slope:
    """Fit a weighted straight line of error over temperature; its uncertainty covers the scatter.

    With enough readings over 20 K and more a cubic is added, and kept where it is significant.

    Raises
    ------
    BadSamples
        Fewer than four readings, or less than 5 K between the coldest and the warmest.
    """
    if len(points) < MIN_READINGS:
        raise BadSamples(
            f"{count_of(len(points), 'reading')} with a temperature: too few for a slope; "
            f"note it with {MIN_READINGS} or more"
        )
    warmth = np.array(temperatures_c, float)
    if np.ptp(warmth) < MIN_K:
        raise BadSamples(f"the temperatures noted lie within {np.ptp(warmth):.1f} K: {MIN_K:g} K or more are needed")
    value = np.array([point.ppm for point in points])
    weight = 1 / np.array([max(point.sigma_ppm, 1e-6) for point in points])
    middle_c = float(np.average(warmth, weights=weight**2))
    away = warmth - middle_c
    terms = [np.ones_like(away), away]
    if len(points) >= MIN_CUBIC and np.ptp(warmth) >= MIN_CUBIC_K:
        coefficients, sigma, scatter = _fitted([*terms, away**3], value, weight)
        if abs(coefficients[2]) > MIN_SIGNIFICANCE_SIGMA * sigma[2]:
            return Slope(coefficients[0], coefficients[1], sigma[1], middle_c, scatter, coefficients[2])
    coefficients, sigma, scatter = _fitted(terms, value, weight)
    return Slope(coefficients[0], coefficients[1], sigma[1], middle_c, scatter)


def _fitted(terms: list[np.ndarray], value: np.ndarray, weight: np.ndarray) -> tuple[list[float], list[float], float]:
    """Weighted least squares: factors of the terms, their uncertainties, and the scatter about the fit."""
    columns = np.stack(terms, axis=1)
    rows = columns * weight[:, None]
    covariance = np.linalg.inv(rows.T @ rows)
    coefficients = covariance @ rows.T @ (value * weight)
    rest = value - columns @ coefficients
    worse = max(float(np.sum((rest * weight) ** 2)) / max(value.size - len(terms), 1), 1.0)
    return coefficients.tolist(), np.sqrt(np.diag(covariance) * worse).tolist(), float(np.std(rest))
