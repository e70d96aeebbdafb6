"""Oscillators as they are: phase over time of crystals that drift, warm up and wander.

Noise types and their slopes after IEEE Std 1139 (definitions of physical quantities for frequency and time metrology):
fractional frequency of power-law spectra, S_y(f) = h_0 (white), h_-1 / f (flicker), h_-2 / f^2 (random walk). Allan
variances: h_0 / (2 tau), 2 ln(2) h_-1, (2 pi^2 / 3) h_-2 tau.
"""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def steady(count: int, rate_hz: float, hertz: float, drift_hz_per_s: float = 0.0) -> Floats:
    """Phase, radians, of a line at `hertz` in the middle of the record that moves evenly."""
    time_s = (np.arange(count) - (count - 1) / 2) / rate_hz
    return 2 * np.pi * (hertz * time_s + drift_hz_per_s * time_s**2 / 2)


def of_frequency(hertz: Floats, rate_hz: float) -> Floats:
    """Phase of a line whose frequency over time is given, straight from one sample to the next."""
    return 2 * np.pi * (np.cumsum(hertz) - (hertz + hertz[0]) / 2) / rate_hz


def random_walk(chance: np.random.Generator, count: int, rate_hz: float, adev_1s: float) -> Floats:
    """Fractional frequency that walks: Allan deviation `adev_1s` at one second, growing with the root of time."""
    h_2 = adev_1s**2 * 3 / (2 * np.pi**2)
    # The increments of a walk with S_y = h_2 / f^2 have the two-sided density (2 pi)^2 h_2 / 2, one step a sample.
    step = np.sqrt((2 * np.pi) ** 2 * h_2 / 2 / rate_hz)
    return np.cumsum(step * chance.standard_normal(count))


def flicker(chance: np.random.Generator, count: int, rate_hz: float, adev: float) -> Floats:
    """Fractional frequency with S_y = h_-1 / f: an Allan deviation that is the same at all times."""
    h_1 = adev**2 / (2 * np.log(2))
    frequencies = np.fft.rfftfreq(count, 1 / rate_hz)
    density = np.zeros(frequencies.size)
    density[1:] = h_1 / frequencies[1:]
    halves = chance.standard_normal((2, frequencies.size))
    spectrum = np.sqrt(density * rate_hz * count / 4) * (halves[0] + 1j * halves[1])
    return np.fft.irfft(spectrum, count)


def warm_up(count: int, rate_hz: float, size_hz: float, time_constant_s: float) -> Floats:
    """Hertz from where it will be: an exponential approach, as of a case that takes on its temperature."""
    return size_hz * np.exp(-np.arange(count) / rate_hz / time_constant_s)


def swing(count: int, rate_hz: float, size_hz: float, period_s: float, at: float) -> Floats:
    """Hertz from the middle, to and fro, as of an oven's control or a disciplined oscillator's loop."""
    return size_hz * np.sin(2 * np.pi * (np.arange(count) / rate_hz / period_s + at))
