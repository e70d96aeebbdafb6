"""What becomes of a wave on its way: fading, paths, other carriers, noise.

The channel after Watterson, Juroshek and Bensema (IEEE Trans. COM-18, 1970, 792-803) as ITU-R F.1487 has it: each path
multiplies by a complex Gaussian process whose Doppler spectrum is Gaussian; the Doppler spread is twice its standard
deviation. Conditions of F.1487, mid latitudes: quiet 0.5 ms and 0.1 Hz, moderate 1 ms and 0.5 Hz, disturbed 2 ms, 1 Hz.
"""

import numpy as np
from numpy.typing import NDArray

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]


def gaussian_doppler(chance: np.random.Generator, count: int, rate_hz: float, spread_hz: float) -> Complexes:
    """A complex Gaussian process of unit power whose Doppler spectrum is a Gaussian of 2 sigma = spread_hz."""
    # Made slowly and stretched: so many points per hertz of spread that straight lines between them stay 70 dB down
    # ((2 pi sigma h)^2 / 8), and a margin at both ends.
    slow_hz = max(64 * spread_hz, 16 * rate_hz / count)
    slow = int(np.ceil(count / rate_hz * slow_hz)) + 256
    frequencies = np.fft.fftfreq(slow, 1 / slow_hz)
    shape = np.exp(-(frequencies**2) / (4 * (spread_hz / 2) ** 2))
    halves = chance.standard_normal((2, slow))
    process = np.fft.ifft(shape * (halves[0] + 1j * halves[1]))
    process /= np.sqrt(np.sum(shape**2) * 2) / slow
    at = np.arange(count) / rate_hz * slow_hz + 96
    places = np.arange(slow)
    return np.interp(at, places, process.real) + 1j * np.interp(at, places, process.imag)


def rician(chance: np.random.Generator, count: int, rate_hz: float, spread_hz: float, k_db: float) -> Complexes:
    """A steady part and a fading one, `k_db` the power of the one over the other; unit power together."""
    k = 10 ** (k_db / 10)
    fading = gaussian_doppler(chance, count, rate_hz, spread_hz)
    return (np.sqrt(k) * np.exp(2j * np.pi * chance.random()) + fading) / np.sqrt(1 + k)


def two_paths(
    chance: np.random.Generator, wave: Complexes, rate_hz: float, spread_hz: float, delay_s: float
) -> Complexes:
    """Two paths of equal power that fade for themselves, the second so much later."""
    late = np.roll(wave, round(delay_s * rate_hz))
    one, two = (gaussian_doppler(chance, wave.size, rate_hz, spread_hz) for _ in range(2))
    return (wave * one + late * two) / np.sqrt(2)


def white(chance: np.random.Generator, count: int, power: float) -> Complexes:
    """Complex noise of so much power over the whole rate."""
    halves = chance.standard_normal((2, count))
    return np.sqrt(power / 2) * (halves[0] + 1j * halves[1])


def raised(chance: np.random.Generator, count: int, rate_hz: float, power: float, by_db: float, width_hz: float,
           at_hz: float) -> Complexes:  # fmt: skip
    """Noise that stands `by_db` higher within `width_hz` around a place."""
    spectrum = np.fft.fft(white(chance, count, power))
    frequencies = np.fft.fftfreq(count, 1 / rate_hz)
    bump = np.exp(-((frequencies - at_hz) ** 2) / (2 * width_hz**2))
    return np.fft.ifft(spectrum * np.sqrt(1 + (10 ** (by_db / 10) - 1) * bump))


def impulses(chance: np.random.Generator, count: int, rate_hz: float, per_s: float, size: float) -> Complexes:
    """Crackles: short bursts at random times, their sizes of a heavy tail (log-normal)."""
    made = np.zeros(count, complex)
    for at in chance.integers(0, count, chance.poisson(per_s * count / rate_hz)):
        length = int(chance.integers(1, max(int(2e-3 * rate_hz), 2)))
        burst = white(chance, min(length, count - at), 1.0)
        made[at : at + burst.size] += size * np.exp(chance.standard_normal()) * burst
    return made
