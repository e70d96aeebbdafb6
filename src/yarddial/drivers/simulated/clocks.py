"""Oscillators of the simulated world: how far each is off at any time, as a plain function of time.

The fractional error is y(t) = offset + warm-up exp(-t/tau) + slope (temperature - 25) + ageing t + noise; what the
samples need is its integral, the time error x(t). Noise is made once as a periodic table from a power law (IEEE Std
1139): white and flicker frequency noise, h0 and h-1.
"""

from functools import lru_cache
from math import exp, log, pi, sqrt

import msgspec
import numpy as np
from numpy.typing import NDArray

Seconds = NDArray[np.float64]
TABLE_HZ, TABLE_SIZE = 16.0, 1 << 16
SECONDS_PER_YEAR = 365.25 * 86_400.0


class Clock(msgspec.Struct, frozen=True):
    """One oscillator. All errors are fractional; positive runs fast.

    offset : when warm, at 25 degrees, new.
    warmup, warmup_s : additional error when switched on, and its time constant.
    per_kelvin : slope with temperature. degrees : the mean temperature; swing_k over a day.
    per_year : ageing.
    white, flicker : Allan deviations at one second (white FM) and of the floor (flicker FM).
    """

    offset: float = 0.0
    warmup: float = 0.0
    warmup_s: float = 300.0
    per_kelvin: float = 0.0
    degrees: float = 25.0
    swing_k: float = 0.0
    per_year: float = 0.0
    white: float = 0.0
    flicker: float = 0.0
    seed: int = 0

    def fraction(self, t_s: float) -> float:
        """Fractional error at a time since it was switched on, without noise."""
        kelvin = self.degrees - 25.0 + self.swing_k * np.sin(2 * pi * t_s / 86_400.0)
        warm = self.warmup * exp(-max(t_s, 0.0) / self.warmup_s)
        return float(self.offset + warm + self.per_kelvin * kelvin + self.per_year * t_s / SECONDS_PER_YEAR)

    def time_error_s(self, t_s: Seconds) -> Seconds:
        """Integral of the fractional error from 0 to each time: the lead of a clock driven by it."""
        day = 86_400.0 / (2 * pi)
        error = (self.offset + self.per_kelvin * (self.degrees - 25.0)) * t_s
        error += self.per_kelvin * self.swing_k * day * (1 - np.cos(t_s / day))
        error += self.per_year * t_s**2 / (2 * SECONDS_PER_YEAR)
        error += self.warmup * self.warmup_s * (1 - np.exp(-np.maximum(t_s, 0.0) / self.warmup_s))
        return error + self._noise_s(t_s) if self.white or self.flicker else error

    def _noise_s(self, t_s: Seconds) -> Seconds:
        table = _noise_table(self.white, self.flicker, self.seed)
        place = (t_s * TABLE_HZ) % TABLE_SIZE
        low = place.astype(np.intp)
        share = place - low
        return np.asarray(table[low] * (1 - share) + table[(low + 1) % TABLE_SIZE] * share - table[0])


@lru_cache(maxsize=32)
def _noise_table(white: float, flicker: float, seed: int) -> NDArray[np.float64]:
    """Time error of white and flicker frequency noise, seconds, on a grid of 1/16 s; it closes on itself after 4,096 s.

    S_y(f) = h0 + h-1 / f with h0 = 2 sigma_w^2 and h-1 = sigma_f^2 / (2 ln 2); x is the integral of y.
    """
    chance = np.random.default_rng(seed + 424_242)
    step_hz = TABLE_HZ / TABLE_SIZE
    f = np.arange(1, TABLE_SIZE // 2) * step_hz
    density = 2 * white**2 + flicker**2 / (2 * log(2)) / f
    draws = chance.standard_normal(f.size) + 1j * chance.standard_normal(f.size)
    # One-sided density: each line carries S df, split over two conjugate halves.
    lines = draws * np.sqrt(density * step_hz) / 2 * TABLE_SIZE
    spectrum = np.zeros(TABLE_SIZE // 2 + 1, complex)
    spectrum[1 : TABLE_SIZE // 2] = lines / (2j * pi * f)
    return np.fft.irfft(spectrum, TABLE_SIZE)


def combined_sigma(white: float, flicker: float, tau_s: float) -> float:
    """Allan deviation of both kinds of noise together at an averaging time (IEEE Std 1139)."""
    return sqrt(white**2 / tau_s + flicker**2)
