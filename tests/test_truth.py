"""The signals that judge us are themselves what the literature says, and owe nothing to our own code."""

import ast
from datetime import datetime
from math import log10
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import channels
import kinds
import modulation
import noise_watts
import oscillators
import paths
from yarddial.yard.external_noise import Storms, external_noise_db
from yarddial.yard.frequency_conversion import (
    KINDS,
    ConverterKind,
    SamplingClock,
    Stage,
    path_sense,
    shown_for_dial,
    trace,
)
from yarddial.yard.parts.receiver import DirectSampling

TRUTH = Path(__file__).parents[1] / "truth"
RATE_HZ = 100.0


def adev(fractional: np.ndarray, together: int) -> float:
    """Allan deviation of frequencies averaged over so many samples, straight from its definition."""
    means = fractional[: fractional.size // together * together].reshape(-1, together).mean(axis=1)
    return float(np.sqrt(np.mean(np.diff(means) ** 2) / 2))


# A driver speaks our protocol, and knows nothing else of us.
SPOKEN = {"plover.py": {"yarddial.drivers.protocol", "yarddial.yard.errors"}}


def test_they_import_nothing_of_ours() -> None:
    for path in TRUTH.glob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
            ours = {name for name in names if name.startswith("yarddial")}
            assert ours <= SPOKEN.get(path.name, set()), path.name


def test_a_walk_and_flicker_have_the_allan_deviations_of_the_standard() -> None:
    chance = np.random.default_rng(1)
    walks = [oscillators.random_walk(chance, 40_000, RATE_HZ, 1e-9) for _ in range(20)]
    for seconds, wanted in ((1, 1e-9), (4, 2e-9), (16, 4e-9)):
        found = np.mean([adev(walk, int(seconds * RATE_HZ)) for walk in walks])
        assert found == pytest.approx(wanted, rel=0.15)
    flickers = [oscillators.flicker(chance, 40_000, RATE_HZ, 1e-9) for _ in range(20)]
    for seconds in (1, 4, 16):
        found = np.mean([adev(one, int(seconds * RATE_HZ)) for one in flickers])
        assert found == pytest.approx(1e-9, rel=0.2)


def test_a_fading_path_has_unit_power_the_doppler_spread_asked_for_and_rayleigh_depths() -> None:
    chance = np.random.default_rng(2)
    process = np.concatenate([channels.gaussian_doppler(chance, 40_000, 50.0, 1.0) for _ in range(10)])
    power = np.abs(process) ** 2
    assert power.mean() == pytest.approx(1.0, rel=0.15)
    # Exponential power: a share of 1 - exp(-0.1) lies more than 10 dB down.
    assert np.mean(power < 0.1) == pytest.approx(1 - np.exp(-0.1), abs=0.03)
    spectrum = np.abs(np.fft.fft(process.reshape(10, -1), axis=1)) ** 2
    frequencies = np.fft.fftfreq(40_000, 1 / 50.0)
    spread = 2 * np.sqrt((spectrum.mean(axis=0) * frequencies**2).sum() / spectrum.mean(axis=0).sum())
    assert spread == pytest.approx(1.0, rel=0.1)


def test_morse_keeps_the_paris_standard_and_records_have_the_strength_asked_for() -> None:
    once = modulation.keyed(int(60 * 1_000.0), 1_000.0, 12.0, "PARIS ")
    # Twelve words of fifty dots a minute, twenty-two of which are marks in PARIS.
    assert once.mean() == pytest.approx(22 / 50, abs=0.01)
    names = [kind.name for kind in kinds.KINDS]
    assert (len(set(names)), sum(kind.sealed for kind in kinds.KINDS)) == (60, 30)
    samples, made = kinds.record(kinds.KINDS[0], np.random.default_rng(3), 5.0, 40.0)
    carrier = np.vdot(made.wave, samples) / samples.size
    noise = np.mean(np.abs(samples - carrier * made.wave) ** 2)
    cn0_dbhz = 10 * np.log10(abs(carrier) ** 2 / (noise / kinds.RATE_HZ))
    assert cn0_dbhz == pytest.approx(40.0, abs=0.2)


@given(
    st.floats(1e5, 2e9),
    st.lists(st.tuples(st.sampled_from(KINDS), st.floats(1e6, 11e9)), max_size=3),
    st.floats(-100, 100),
)
def test_the_path_is_what_mixers_and_a_wrong_clock_do_to_a_tone(
    tone_hz: float, converters: list[tuple[ConverterKind, float]], ppm: float
) -> None:
    stages = [Stage(kind, lo_hz) for kind, lo_hz in converters]
    told = trace(tone_hz, stages, SamplingClock(ppm, 0.0))
    shown_hz = paths.shown(tone_hz, list(converters), 28.8e6 * (1 + ppm * 1e-6), 28.8e6)
    # Back through converters that are what is marked on them, the tone is where the clock's error has moved it.
    assert shown_for_dial(told.dial_hz, stages) == pytest.approx(shown_hz, abs=1e-4)
    beside_hz = paths.shown(tone_hz + 1_000.0, list(converters), 1.0, 1.0)
    assert path_sense(stages) == (1 if beside_hz > paths.shown(tone_hz, list(converters), 1.0, 1.0) else -1)


@given(st.floats(1e4, 1.2e10), st.sampled_from(sorted(noise_watts.MADE)), st.floats(0, 1), st.integers(1, 12),
       st.integers(0, 23))  # fmt: skip
def test_noise_from_outside_is_the_recommendations(
    frequency_hz: float, surroundings: str, ground: float, month: int, hour: int
) -> None:
    storms = Storms.of("now", datetime(2026, month, 1, hour))
    kelvins = noise_watts.antenna_kelvins(
        frequency_hz, surroundings, noise_watts.storm_weights(month, hour, False), ground
    )
    wanted_db = 10 * log10(kelvins / 290)
    assert external_noise_db(frequency_hz, surroundings, storms, ground) == pytest.approx(wanted_db, abs=1e-3)


@given(st.floats(1e5, 2e8))
def test_direct_sampling_folds_as_samples_agree(tone_hz: float) -> None:
    told_hz = DirectSampling("hf", 64e6).folded_hz(tone_hz)
    assert told_hz == pytest.approx(paths.sampled(tone_hz, 64e6), abs=1e-4)
