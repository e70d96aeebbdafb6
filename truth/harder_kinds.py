"""Kinds of signal that the sixty first ones left out: rays, gaps, jumps, strong hum, and signals without a carrier.

Made as `kinds` makes them. A kind of the model "none" has no carrier: only a refusal is right, or the suppressed
carrier itself where there is one. `sealed` kinds must not be looked at while thresholds are chosen.
"""

import numpy as np
from numpy.typing import NDArray

import channels
import kinds
import modulation
import oscillators
from kinds import RATE_HZ, Kind, Made, Maker

Complexes = NDArray[np.complex128]


def _place(chance: np.random.Generator) -> float:
    return float(chance.uniform(-60, 60)) + 300.0


def _phase(chance: np.random.Generator) -> complex:
    return complex(np.exp(2j * np.pi * chance.random()))


def _line(chance: np.random.Generator, count: int, hertz: float) -> Complexes:
    return np.exp(1j * oscillators.steady(count, RATE_HZ, hertz)) * _phase(chance)


def _level(below_db: float) -> float:
    return float(10 ** (-below_db / 20))


def spread_ray(low_db: float, high_db: float) -> Maker:
    """A line, and a ray 0.5 to 4 Hz away whose Doppler spectrum is 0.05 to 0.5 Hz broad."""

    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        hertz = _place(chance)
        away = float(chance.choice((-1, 1)) * chance.uniform(0.5, 4.0))
        spread = float(np.exp(chance.uniform(np.log(0.05), np.log(0.5))))
        ray = channels.gaussian_doppler(chance, count, RATE_HZ, spread) * _line(chance, count, hertz + away)
        return Made(_line(chance, count, hertz) + _level(chance.uniform(low_db, high_db)) * ray, hertz)

    return make


def sweeping_ray(chance: np.random.Generator, count: int, density: float) -> Made:
    """A line, and a ray that sweeps: 0.05 to 0.3 Hz a second, 0.5 to 4 Hz away in the middle."""
    hertz = _place(chance)
    away, rate = chance.choice((-1, 1), 2) * (chance.uniform(0.5, 4.0), chance.uniform(0.05, 0.3))
    ray = np.exp(1j * oscillators.steady(count, RATE_HZ, hertz + float(away), float(rate))) * _phase(chance)
    return Made(_line(chance, count, hertz) + _level(chance.uniform(6, 20)) * ray, hertz)


def aircraft(chance: np.random.Generator, count: int, density: float) -> Made:
    """A line, and its reflection from an aircraft: Doppler along the arc of a pass, level rising and falling."""
    hertz, time_s = _place(chance), (np.arange(count) - count / 2) / RATE_HZ
    width_s, size_hz = float(chance.uniform(4, 15)), float(chance.uniform(2, 30))
    doppler_hz = -size_hz * np.tanh((time_s - chance.uniform(-5, 5)) / width_s)
    swell = 1 / np.cosh((time_s - chance.uniform(-3, 3)) / (1.5 * width_s))
    ray = swell * np.exp(1j * oscillators.of_frequency(hertz + doppler_hz, RATE_HZ)) * _phase(chance)
    return Made(_line(chance, count, hertz) + _level(chance.uniform(6, 20)) * ray, hertz)


def two_fading(chance: np.random.Generator, count: int, density: float) -> Made:
    """Two stations on one channel, 1 to 10 Hz apart, each fading with a steady part."""
    hertz, away = _place(chance), float(chance.choice((-1, 1)) * chance.uniform(1.0, 10.0))
    first, second = (
        channels.rician(chance, count, RATE_HZ, float(chance.uniform(0.05, 0.3)), float(chance.uniform(5, 12)))
        for _ in range(2)
    )
    wave = first * _line(chance, count, hertz) + _level(chance.uniform(3, 10)) * second * _line(
        chance, count, hertz + away
    )
    return Made(wave, hertz, hertz + away)


def gaps(chance: np.random.Generator, count: int, density: float) -> Made:
    """Five to forty gaps that nobody reported, of 20 to 400 samples."""
    number = int(chance.integers(5, 41))
    sizes = chance.integers(20, 400, number)
    hertz = _place(chance)
    wave = _line(chance, count + int(sizes.sum()), hertz)
    for size in sizes.tolist():
        wave = modulation.without(wave, int(chance.integers(0, wave.size - size)), size)
    return Made(wave[:count], hertz)


def fading_with_gaps(chance: np.random.Generator, count: int, density: float) -> Made:
    """A fading line with a steady part, and one to six gaps that nobody reported."""
    number, hertz = int(chance.integers(1, 7)), _place(chance)
    sizes = chance.integers(20, 400, number)
    long = count + int(sizes.sum())
    wave = channels.rician(chance, long, RATE_HZ, 0.2, 7.0) * _line(chance, long, hertz)
    for size in sizes.tolist():
        wave = modulation.without(wave, int(chance.integers(0, wave.size - size)), size)
    return Made(wave[:count], hertz)


def jumps(chance: np.random.Generator, count: int, density: float) -> Made:
    """One jump of 1 to 500 Hz, somewhere in the middle three fifths: the first part, and the second."""
    hertz = _place(chance)
    size = float(chance.choice((-1, 1)) * np.exp(chance.uniform(0.0, np.log(500.0))))
    offsets = np.where(np.arange(count) < count * chance.uniform(0.2, 0.8), 0.0, size)
    wave = np.exp(1j * oscillators.of_frequency(hertz + offsets, RATE_HZ)) * _phase(chance)
    if abs(size) * count / RATE_HZ < 2.0:
        # Within two bins the parts are one line, and its mean is what stands there.
        return Made(wave, hertz + float(offsets.mean()))
    return Made(wave, hertz, hertz + size)


def phase_hum(low_rad: float, high_rad: float) -> Maker:
    """The phase swings at the mains' frequency or twice it; above 1.43 rad the sidebands are stronger."""

    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        hertz, mains = _place(chance), float(chance.choice((50.0, 60.0, 100.0, 120.0)) * (1 + 1e-3 * chance.normal()))
        swing = chance.uniform(low_rad, high_rad) * np.sin(
            2 * np.pi * mains * np.arange(count) / RATE_HZ + chance.random()
        )
        return Made(_line(chance, count, hertz) * np.exp(1j * swing), hertz)

    return make


def reversals(low_per_s: float, high_per_s: float) -> Maker:
    """A suppressed carrier whose phase is reversed at random: a hump, or for slow ones a forest of lines."""

    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        hertz, rate = _place(chance), float(np.exp(chance.uniform(np.log(low_per_s), np.log(high_per_s))))
        signs = chance.choice((-1.0, 1.0), int(count / RATE_HZ * rate) + 2)
        at = (np.arange(count) / RATE_HZ * rate + chance.random()).astype(int)
        return Made(_line(chance, count, hertz) * signs[at], hertz)

    return make


def phase_keyed(chance: np.random.Generator, count: int, density: float) -> Made:
    """31.25 Bd with cosine edges, idle (reversed at every bit) or with text: no line stands at its middle."""
    hertz, rate = _place(chance), 31.25
    bits = int(count / RATE_HZ * rate) + 3
    turns = np.ones(bits, int) if chance.random() < 0.5 else chance.integers(0, 2, bits)
    signs = 1.0 - 2.0 * (np.cumsum(turns) % 2)
    at = np.arange(count) / RATE_HZ * rate + chance.random()
    left = at.astype(int)
    share = 0.5 - 0.5 * np.cos(np.pi * (at - left))
    return Made(_line(chance, count, hertz) * (signs[left] * (1 - share) + signs[left + 1] * share), hertz)


def hopping(chance: np.random.Generator, count: int, density: float) -> Made:
    """A carrier that hops among four to twelve places, each held for 0.05 to 0.5 s."""
    places = chance.uniform(200, 400, int(chance.integers(4, 13)))
    dwell = float(chance.uniform(0.05, 0.5)) * RATE_HZ
    hops = places[chance.integers(0, places.size, int(count / dwell) + 1)]
    hertz = hops[(np.arange(count) / dwell).astype(int)]
    return Made(np.exp(1j * oscillators.of_frequency(hertz, RATE_HZ)), float("nan"))


def teleprinter(chance: np.random.Generator, count: int, density: float) -> Made:
    """Two tones, keyed at 45 to 75 baud, 85 to 200 Hz apart."""
    baud, shift = float(chance.choice((45.45, 50.0, 75.0))), float(chance.choice((85.0, 170.0, 200.0)))
    return Made(
        _line(chance, count, _place(chance)) * np.exp(1j * modulation.shift_keyed(chance, count, RATE_HZ, baud, shift)),
        float("nan"),
    )


def jittered_supply(chance: np.random.Generator, count: int, density: float) -> Made:
    """A harmonic of a switching supply whose clock jitters: 10 to 60 Hz broad, with no line in it."""
    hertz, width = _place(chance), float(chance.uniform(10, 60))
    # A phase that walks by sqrt(2 pi width t) has a Lorentzian spectrum of that full width.
    steps = np.sqrt(2 * np.pi * width / RATE_HZ) * chance.standard_normal(count)
    return Made(np.exp(1j * (2 * np.pi * hertz * np.arange(count) / RATE_HZ + np.cumsum(steps))), float("nan"))


def am_neighbour(chance: np.random.Generator, count: int, density: float) -> Made:
    """A steady carrier under the sidebands of a stronger broadcast station 0.3 to 1.2 kHz away."""
    hertz = _place(chance)
    audio = modulation.speech_like(chance, count, RATE_HZ)
    away = float(chance.choice((-1, 1)) * chance.uniform(300, 1_200))
    station = (1 + 0.8 * audio) * _line(chance, count, hertz + away)
    return Made(_line(chance, count, hertz) + _level(-chance.uniform(3, 15)) * station, hertz)


def mirrored_am(chance: np.random.Generator, count: int, density: float) -> Made:
    """A steady carrier, and 2 to 40 Hz beside it the mirror of a broadcast station, 3 to 20 dB below."""
    hertz = _place(chance)
    away = float(chance.choice((-1, 1)) * chance.uniform(2, 40))
    audio = modulation.speech_like(chance, count, RATE_HZ)
    mirror = np.conj((1 + 0.6 * audio) * _line(chance, count, -(hertz + away)))
    return Made(_line(chance, count, hertz) + _level(chance.uniform(3, 20)) * mirror, hertz, hertz + away)


HARDER_KINDS = (
    Kind("ray 3 to 12 dB below, spread", "ray", spread_ray(3, 12)),
    Kind("ray that sweeps", "ray", sweeping_ray),
    Kind("5 to 40 gaps", "broken", gaps),
    Kind("jump of 1 to 500 Hz", "jumping", jumps),
    Kind("phase hum 0.1 to 1.4 rad", "steady", phase_hum(0.1, 1.4)),
    Kind("reversals, 200 to 700 a second", "none", reversals(200, 700)),
    Kind("hopping", "none", hopping),
    Kind("31 baud, phase keyed", "none", phase_keyed),
    Kind("jittered supply", "none", jittered_supply),
    Kind("AM neighbour", "steady", am_neighbour),
    # Sealed: not to be looked at while thresholds are set.
    Kind("ray 12 to 20 dB below, spread", "ray", spread_ray(12, 20), True),
    Kind("aircraft", "ray", aircraft, True),
    Kind("two stations, each fading", "two", two_fading, True),
    Kind("fading, with gaps", "fading", fading_with_gaps, True),
    Kind("phase hum 1.4 to 3 rad", "steady", phase_hum(1.4, 3.0), True),
    Kind("reversals, 2 to 20 a second", "none", reversals(2, 20), True),
    Kind("teleprinter", "none", teleprinter, True),
    Kind("mirror of AM", "two", mirrored_am, True),
)
record = kinds.record
