"""The centre of FM signals and the pilot, against signals made from their definition."""

import numpy as np
import pytest
from numpy.typing import NDArray

from modulation import lopsided, speech_like
from yarddial.dsp.frequency_modulation import PILOT_HZ, estimate_centre, estimate_pilot
from yarddial.yard.errors import BadSamples, NoCarrier


def modulated(
    centre_hz: float, message: NDArray[np.float64], rate_hz: float, noise: float, seed: int = 0
) -> NDArray[np.complex64]:
    """FM with an instantaneous deviation in hertz, in white noise with `noise` power in the whole span."""
    chance = np.random.default_rng(seed)
    turns = np.cumsum((centre_hz + message) / rate_hz)
    hiss = chance.standard_normal(2 * message.size).view(np.complex128) * np.sqrt(noise / 2)
    return (0.1 * (np.exp(2j * np.pi * (turns % 1.0)) + hiss)).astype(np.complex64)


def speech(time: NDArray[np.float64], deviation_hz: float, seed: int) -> NDArray[np.float64]:
    chance = np.random.default_rng(seed)
    tones = chance.uniform(200, 2500, 8)
    phases = chance.uniform(0, 6.28, 8)
    return deviation_hz * np.sin(2 * np.pi * time[:, None] * tones + phases).mean(axis=1) * 2


@pytest.mark.parametrize("offset_hz", [-3_000.0, 0.0, 1_234.5])
def test_the_centre_of_a_narrow_channel_is_found_through_speech(offset_hz: float) -> None:
    """15 dB in 15 kHz for 1 s: the bound is 4 mHz, speech adds its own; within four stated sigmas and half a hertz."""
    rate_hz, time = 240_000.0, np.arange(240_000) / 240_000.0
    noise = 240_000 / 15_000 / 10**1.5
    errors = []
    for seed in range(6):
        samples = modulated(20_000 + offset_hz, speech(time, 2500, seed), rate_hz, noise, seed)
        found = estimate_centre(samples, rate_hz, 20_000.0, 5_000.0, "narrow")
        errors.append(found.frequency_hz - 20_000 - offset_hz)
        assert abs(errors[-1]) < 4 * found.sigma_hz
    assert np.abs(errors).max() < 0.5


def test_the_centre_of_a_broadcaster_and_its_pilot_are_found() -> None:
    rate_hz, clock_ppm = 480_000.0, 27.0
    time = np.arange(480_000) / rate_hz
    pilot = 7_500 * np.cos(2 * np.pi * PILOT_HZ / (1 + clock_ppm * 1e-6) * time)
    message = speech(time, 40_000, 3) + pilot
    samples = modulated(8_000.0, message, rate_hz, 480_000 / 220_000 / 10**3)
    centre = estimate_centre(samples, rate_hz, 0.0, 20_000.0, "wide")
    assert centre.frequency_hz == pytest.approx(8_000.0, abs=1.0)
    found = estimate_pilot(samples, rate_hz, 0.0, 20_000.0)
    assert found.clock_ppm == pytest.approx(clock_ppm, abs=5 * found.sigma_hz / PILOT_HZ * 1e6 + 0.05)


def test_noise_is_no_station_and_too_little_is_said() -> None:
    chance = np.random.default_rng(1)
    noise = (chance.standard_normal(2 * 240_000) * 0.1).astype(np.float32).view(np.complex64)
    with pytest.raises(NoCarrier, match="no narrow FM signal"):
        estimate_centre(noise, 240_000.0, 0.0, 5_000.0, "narrow")
    with pytest.raises(BadSamples, match="tenth of a second"):
        estimate_centre(noise[:1000], 240_000.0, 0.0, 5_000.0, "narrow")
    with pytest.raises(BadSamples, match="too low"):
        estimate_centre(noise, 48_000.0, 0.0, 5_000.0, "wide")
    with pytest.raises(BadSamples, match="silent"):
        estimate_centre(np.zeros(240_000, np.complex64), 240_000.0, 0.0, 5_000.0, "narrow")


@pytest.mark.parametrize("lean", [0.0, 0.03])
def test_a_limiter_that_leans_is_told_by_the_pauses(lean: float) -> None:
    """Speech with pauses, one side given 3 % more: its mean leans by some 20 Hz, its pauses do not."""
    rate_hz = 48_000.0
    audio = speech_like(np.random.default_rng(3), int(4 * rate_hz), rate_hz)
    message = 2_500.0 * lopsided(audio, lean)
    samples = modulated(120.0, message, rate_hz, 48_000 / 10**6.2)
    found = estimate_centre(samples, rate_hz, 0.0, 1_000.0, "narrow")
    assert found.frequency_hz == pytest.approx(120.0, abs=4 * found.sigma_hz)
    assert found.sigma_hz < 3.0
    assert ("lopsided" in found.remark) == bool(lean)


def test_what_never_pauses_may_lean_unseen_and_that_is_in_the_doubt() -> None:
    rate_hz = 48_000.0
    tone = 2_500.0 * np.sin(2 * np.pi * 1_000.0 * np.arange(4 * 48_000) / rate_hz)
    found = estimate_centre(modulated(0.0, tone, rate_hz, 1e-2), rate_hz, 0.0, 1_000.0, "narrow")
    assert found.sigma_hz > 30.0
    assert "pauses" in found.remark
