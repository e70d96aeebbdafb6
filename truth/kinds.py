"""Sixty kinds of signal, written down before any threshold was set: half of them open to whoever sets thresholds.

Each is made anew for every run: samples, complex, of unit carrier power plus noise of the C/N0 asked for; and what is
true of it: the carrier's frequency at the middle of the record (its mean, where it wanders), and that of a second one.
`sealed` kinds must not be looked at while thresholds are chosen.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

import channels
import modulation
import oscillators

Complexes = NDArray[np.complex128]
RATE_HZ = 4_000.0


@dataclass(frozen=True)
class Made:
    """One record: what was sent, without noise, and the truth about it. noise : made by the kind itself, if any."""

    wave: Complexes
    hertz: float
    second_hz: float | None = None
    noise: Complexes | None = None
    known_hz: tuple[float, ...] = ()


Maker = Callable[[np.random.Generator, int, float], Made]


@dataclass(frozen=True)
class Kind:
    """A kind of signal. model : the name that a good answer gives it."""

    name: str
    model: str
    make: Maker
    sealed: bool = False
    seconds: tuple[float, ...] = (1.0, 5.0, 20.0)


def _place(chance: np.random.Generator) -> float:
    return float(chance.uniform(-60, 60)) + 300.0


def _steady(chance: np.random.Generator, count: int, drift: float = 0.0) -> tuple[Complexes, float]:
    hertz = _place(chance)
    phase = oscillators.steady(count, RATE_HZ, hertz, drift)
    return np.exp(1j * (phase + 2 * np.pi * chance.random())), hertz


def _wandering(chance: np.random.Generator, offsets_hz: NDArray[np.float64]) -> Made:
    hertz = _place(chance)
    phase = oscillators.of_frequency(hertz + offsets_hz, RATE_HZ)
    return Made(np.exp(1j * phase), hertz + float(offsets_hz.mean()))


def _times(factor: Callable[[np.random.Generator, int], Complexes]) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        return Made(wave * factor(chance, count), hertz)

    return make


def drifting(hz_per_s: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count, hz_per_s * float(chance.choice((-1, 1))))
        return Made(wave, hertz)

    return make


def two(spacing_hz: float, below_db: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        other = oscillators.steady(count, RATE_HZ, hertz + spacing_hz) + 2 * np.pi * chance.random()
        return Made(wave + 10 ** (-below_db / 20) * np.exp(1j * other), hertz, hertz + spacing_hz)

    return make


def fading(spread_hz: float) -> Maker:
    return _times(lambda chance, count: channels.gaussian_doppler(chance, count, RATE_HZ, spread_hz))


def rician(spread_hz: float, k_db: float) -> Maker:
    return _times(lambda chance, count: channels.rician(chance, count, RATE_HZ, spread_hz, k_db))


def paths(spread_hz: float, delay_s: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        return Made(channels.two_paths(chance, wave, RATE_HZ, spread_hz, delay_s), hertz)

    return make


def lost(samples: int, gaps: int = 1) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count + samples * gaps)
        for _ in range(gaps):
            wave = modulation.without(wave, int(chance.integers(count // 5, 4 * count // 5)), samples)
        return Made(wave[:count], hertz)

    return make


def jump(size_hz: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        offsets = np.where(np.arange(count) < count * chance.uniform(0.3, 0.7), 0.0, size_hz)
        made = _wandering(chance, offsets - offsets.mean())
        if abs(size_hz) * count / RATE_HZ < 2.0:
            # Within two bins the parts are one line.
            return made
        # Two records: the mean is the frequency of neither part.
        before_hz, after_hz = made.hertz - float(offsets.mean()), made.hertz + size_hz - float(offsets.mean())
        return Made(made.wave, before_hz, after_hz)

    return make


def walk(adev_1s: float, carrier_hz: float) -> Maker:
    return lambda chance, count, density: _wandering(
        chance, carrier_hz * oscillators.random_walk(chance, count, RATE_HZ, adev_1s)
    )


def flicker(adev: float, carrier_hz: float) -> Maker:
    return lambda chance, count, density: _wandering(
        chance, carrier_hz * oscillators.flicker(chance, count, RATE_HZ, adev)
    )


def warming(size_hz: float, time_constant_s: float) -> Maker:
    return lambda chance, count, density: _wandering(
        chance, oscillators.warm_up(count, RATE_HZ, size_hz, time_constant_s)
    )


def swinging(size_hz: float, period_s: float) -> Maker:
    return lambda chance, count, density: _wandering(
        chance, oscillators.swing(count, RATE_HZ, size_hz, period_s, float(chance.random()))
    )


def beside_spike(away_hz: float, spike_db: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        spike = oscillators.steady(count, RATE_HZ, hertz - away_hz)
        return Made(wave + 10 ** (spike_db / 20) * np.exp(1j * spike), hertz, hertz - away_hz)

    return make


def raised(by_db: float, width_hz: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        noise = channels.raised(chance, count, RATE_HZ, density * RATE_HZ, by_db, width_hz, hertz)
        return Made(wave, hertz, noise=noise)

    return make


def crackling(per_s: float, size: float) -> Maker:
    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        noise = channels.white(chance, count, density * RATE_HZ)
        return Made(wave, hertz, noise=noise + channels.impulses(chance, count, RATE_HZ, per_s, size))

    return make


def am(depth: float, sealed_tone_hz: float = 0.0) -> Maker:
    def factor(chance: np.random.Generator, count: int) -> Complexes:
        tone = np.sin(2 * np.pi * sealed_tone_hz * np.arange(count) / RATE_HZ + 6 * chance.random())
        audio = tone if sealed_tone_hz else modulation.speech_like(chance, count, RATE_HZ)
        return (1 + depth * audio).astype(complex)

    return _times(factor)


def keyed(words_per_minute: float) -> Maker:
    return _times(lambda chance, count: modulation.keyed(count, RATE_HZ, words_per_minute).astype(complex))


def humming(mains_hz: float, am_depth: float, pm_rad: float) -> Maker:
    return _times(lambda chance, count: modulation.hum(count, RATE_HZ, mains_hz, am_depth, pm_rad))


def stepping(kind: str) -> Maker:
    """A step of phase or of level at a random place, or a level that pumps."""

    def factor(chance: np.random.Generator, count: int) -> Complexes:
        later = np.arange(count) > count * chance.uniform(0.2, 0.8)
        if kind == "phase":
            return np.exp(1j * np.where(later, chance.uniform(0.5, 3.0), 0.0))
        if kind == "level":
            return np.where(later, 10 ** (-chance.uniform(6, 20) / 20), 1.0).astype(complex)
        return (1 + 0.5 * np.sin(2 * np.pi * 0.7 * np.arange(count) / RATE_HZ)).astype(complex)

    return _times(factor)


def shifted(baud: float, shift_hz: float) -> Maker:
    return _times(lambda chance, count: np.exp(1j * modulation.shift_keyed(chance, count, RATE_HZ, baud, shift_hz)))


def noise_alone(chance: np.random.Generator, count: int, density: float) -> Made:
    """No carrier at all."""
    return Made(np.zeros(count, complex), float("nan"))


def converted(bits: int, level: float) -> Maker:
    """Small in a converter of few bits, with noise of its own below a step."""

    def make(chance: np.random.Generator, count: int, density: float) -> Made:
        wave, hertz = _steady(chance, count)
        noise = channels.white(chance, count, density * RATE_HZ)
        return Made(modulation.quantised(level * (wave + noise), bits) / level, hertz, noise=np.zeros(count, complex))

    return make


KINDS = (
    Kind("steady", "steady", drifting(0.0)),
    Kind("drift 0.02 Hz/s", "drifting", drifting(0.02)),
    Kind("drift 1 Hz/s", "drifting", drifting(1.0)),
    Kind("drift 3 Hz/s", "drifting", drifting(3.0)),
    Kind("two, equal, 3 Hz", "two", two(3.0, 0.0)),
    Kind("two, equal, 10 Hz", "two", two(10.0, 0.0)),
    Kind("two, 6 dB below, 50 Hz", "two", two(50.0, 6.0)),
    Kind("two, 20 dB below, 10 Hz", "two", two(10.0, 20.0)),
    Kind("Rayleigh 0.1 Hz", "fading", fading(0.1)),
    Kind("Rayleigh 1 Hz", "fading", fading(1.0)),
    Kind("Rician 5 dB, 0.3 Hz", "fading", rician(0.3, 5.0)),
    Kind("Rician 10 dB, 0.3 Hz", "fading", rician(0.3, 10.0)),
    Kind("10 samples lost", "broken", lost(10)),
    Kind("1,000 samples lost", "broken", lost(1_000)),
    Kind("crystal's walk, 1e-9 at 100 MHz", "wandering", walk(1e-9, 1e8)),
    Kind("warm-up, 5 Hz in 20 s", "warming", warming(5.0, 20.0)),
    Kind("hum 50 Hz", "steady", humming(50.0, 0.1, 0.1)),
    Kind("hum 100 Hz, strong", "steady", humming(100.0, 0.4, 0.2)),
    Kind("noise raised by 15 dB in 20 Hz", "steady", raised(15.0, 20.0)),
    Kind("7 Hz from a spike of 10 dB", "two", beside_spike(7.0, 10.0)),
    Kind("Morse, 12 words", "keyed", keyed(12.0)),
    Kind("AM, speech, 80 %", "steady", am(0.8)),
    Kind("AM, tone, 30 %", "steady", am(0.3, 440.0)),
    Kind("F.1487 moderate", "fading", paths(0.5, 1e-3)),
    Kind("step of phase", "broken", stepping("phase")),
    Kind("step of level", "steady", stepping("level")),
    Kind("jump of 0.5 Hz", "jumping", jump(0.5)),
    Kind("crackles", "steady", crackling(20.0, 3.0)),
    Kind("5 bits", "steady", converted(5, 0.05)),
    Kind("noise alone", "none", noise_alone),
    # Sealed: not to be looked at while thresholds are set.
    Kind("drift 0.1 Hz/s", "drifting", drifting(0.1), True),
    Kind("drift 0.5 Hz/s", "drifting", drifting(0.5), True),
    Kind("drift 8 Hz/s", "drifting", drifting(8.0), True),
    Kind("two, equal, 50 Hz", "two", two(50.0, 0.0), True),
    Kind("two, 6 dB below, 3 Hz", "two", two(3.0, 6.0), True),
    Kind("two, 6 dB below, 10 Hz", "two", two(10.0, 6.0), True),
    Kind("two, 20 dB below, 3 Hz", "two", two(3.0, 20.0), True),
    Kind("two, 20 dB below, 50 Hz", "two", two(50.0, 20.0), True),
    Kind("two, 40 dB below, 7 Hz", "two", two(7.0, 40.0), True),
    Kind("Rayleigh 0.3 Hz", "fading", fading(0.3), True),
    Kind("Rayleigh 3 Hz", "fading", fading(3.0), True),
    Kind("Rician 7 dB, 1 Hz", "fading", rician(1.0, 7.0), True),
    Kind("Rician 15 dB, 0.1 Hz", "fading", rician(0.1, 15.0), True),
    Kind("F.1487 quiet", "fading", paths(0.1, 0.5e-3), True),
    Kind("F.1487 disturbed", "fading", paths(1.0, 2e-3), True),
    Kind("100 samples lost, three times", "broken", lost(100, 3), True),
    Kind("3 samples lost", "broken", lost(3), True),
    Kind("crystal's walk, 1e-10 at 100 MHz", "wandering", walk(1e-10, 1e8), True),
    Kind("crystal's flicker, 1e-9 at 100 MHz", "wandering", flicker(1e-9, 1e8), True),
    Kind("warm-up, 20 Hz in 60 s", "warming", warming(20.0, 60.0), True),
    Kind("oven's swing, 0.2 Hz in 8 s", "wandering", swinging(0.2, 8.0), True),
    Kind("hum 60 Hz", "steady", humming(60.0, 0.2, 0.3), True),
    Kind("noise raised by 10 dB in 3 Hz", "steady", raised(10.0, 3.0), True),
    Kind("25 Hz from a spike of 20 dB", "two", beside_spike(25.0, 20.0), True),
    Kind("Morse, 25 words", "keyed", keyed(25.0), True),
    Kind("AM, tone, 80 %", "steady", am(0.8, 1_000.0), True),
    Kind("level that pumps", "steady", stepping("pumping"), True),
    Kind("jump of 3 Hz", "jumping", jump(3.0), True),
    Kind("crackles, few and strong", "steady", crackling(2.0, 20.0), True),
    Kind("shifted keys, 50 baud, 170 Hz", "none", shifted(50.0, 170.0), True),
)


def record(kind: Kind, chance: np.random.Generator, seconds: float, cn0_dbhz: float) -> tuple[Complexes, Made]:
    """One record of a kind, with its noise, and the truth about it."""
    count, density = int(seconds * RATE_HZ), 10 ** (-cn0_dbhz / 10)
    made = kind.make(chance, count, density)
    noise = channels.white(chance, count, density * RATE_HZ) if made.noise is None else made.noise
    return made.wave + noise, made
