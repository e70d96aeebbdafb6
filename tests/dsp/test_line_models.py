"""Lines that are not ours: what is stated against what is true, and the model named. See `proofs/uncertainties.py`."""

import numpy as np
import pytest

import kinds
import modulation
from yarddial.dsp.spectral_line import measure_line
from yarddial.yard.errors import NoCarrier

BY_NAME = {kind.name: kind for kind in kinds.KINDS}


def found_in(name: str, seconds_s: float, cn0_dbhz: float, seed: int):  # type: ignore[no-untyped-def]
    """What is measured, and what is true, of one record."""
    samples, made = kinds.record(BY_NAME[name], np.random.default_rng(seed), seconds_s, cn0_dbhz)
    return measure_line((0.05 * samples).astype(np.complex64), kinds.RATE_HZ, made.hertz + 17.0, 100.0), made


@pytest.mark.parametrize(
    ("name", "called"),
    [
        ("steady", {"steady"}),
        ("AM, speech, 80 %", {"steady"}),
        ("drift 1 Hz/s", {"drifting"}),
        ("two, equal, 3 Hz", {"two carriers"}),
        ("two, 20 dB below, 10 Hz", {"two carriers"}),
        ("Rayleigh 1 Hz", {"fading"}),
        ("F.1487 moderate", {"fading"}),
        ("1,000 samples lost", {"broken"}),
        ("crystal's walk, 1e-9 at 100 MHz", {"wandering", "fading"}),
        ("hum 100 Hz, strong", {"steady"}),
        ("Morse, 12 words", {"keyed"}),
    ],
)
def test_a_line_is_called_what_it_is_and_its_doubt_holds_the_truth(name: str, called: set[str]) -> None:
    for seed in (1, 2):
        found, made = found_in(name, 5.0, 50.0, seed)
        truths = [one for one in (made.hertz, made.second_hz) if one is not None]
        assert min(abs(found.frequency_hz - one) for one in truths) < 5 * found.sigma_hz
        assert found.method in called
        assert found.is_adequate
        assert len(found.residual) == 48


def test_two_carriers_are_told_with_places_and_doubts_of_both() -> None:
    found, made = found_in("two, 6 dB below, 50 Hz", 5.0, 45.0, 3)
    (other,) = found.others
    assert made.second_hz is not None
    assert found.frequency_hz == pytest.approx(made.hertz, abs=5 * found.sigma_hz)
    assert other.frequency_hz == pytest.approx(made.second_hz, abs=5 * other.sigma_hz)
    assert other.level_db == pytest.approx(-6.0, abs=0.5)


def test_a_steady_carrier_loses_nothing_to_the_judging() -> None:
    bound_hz = np.sqrt(6 / (10**4.0 * 5.0)) / (2 * np.pi * 5.0)
    pairs = [found_in("steady", 5.0, 40.0, seed) for seed in range(20)]
    rmse = np.sqrt(np.mean([(found.frequency_hz - made.hertz) ** 2 for found, made in pairs]))
    # Of 20 runs the RMSE is known to 16 %.
    assert rmse / bound_hz < 1.4


def test_a_spike_that_is_known_is_not_answered_for_the_carrier_beside_it() -> None:
    chance = np.random.default_rng(6)
    time_s = np.arange(20_000) / 4_000.0
    noise = chance.standard_normal((2, time_s.size)) * 0.01
    samples = np.exp(2j * np.pi * 57.3 * time_s) + 10 + noise[0] + 1j * noise[1]
    found = measure_line((0.02 * samples).astype(np.complex64), 4_000.0, 30.0, 100.0, (0.0,))
    assert found.frequency_hz == pytest.approx(57.3, abs=0.001)
    assert found.method == "steady"


def test_noise_alone_is_nothing() -> None:
    for seed in range(10):
        noise = np.random.default_rng(seed).standard_normal((2, 20_000)) * 0.05
        samples = (noise[0] + 1j * noise[1]).astype(np.complex64)
        with pytest.raises(NoCarrier, match="stands out"):
            measure_line(samples, 4_000.0, 300.0, 100.0)


@pytest.mark.parametrize("kind", ["two tones", "phase"])
def test_keyed_data_is_refused_as_modulated_however_long(kind: str) -> None:
    """75 baud by 170 Hz, and 31.25 reversals a second: no carrier is left in either."""
    rate_hz, seconds_s, chance = kinds.RATE_HZ, 10.0, np.random.default_rng(4)
    count = int(rate_hz * seconds_s)
    if kind == "two tones":
        wave = np.exp(1j * modulation.shift_keyed(chance, count, rate_hz, 75.0, 170.0))
    else:
        bits = np.repeat(chance.choice([-1.0, 1.0], int(31.25 * seconds_s) + 1), int(rate_hz / 31.25))[:count]
        wave = np.convolve(bits, np.hanning(128) / np.hanning(128).sum(), "same").astype(complex)
    noise = chance.standard_normal((2, count)) * np.sqrt(rate_hz / 10**5.5 / 2)
    samples = wave * np.exp(2j * np.pi * 300.0 * np.arange(count) / rate_hz) + noise[0] + 1j * noise[1]
    with pytest.raises(NoCarrier, match="modulated"):
        measure_line((0.05 * samples).astype(np.complex64), rate_hz, 310.0, 100.0)


def test_a_long_record_searched_narrowly_is_judged_though_fast_tracks_leave_it() -> None:
    chance = np.random.default_rng(5)
    samples, made = kinds.record(BY_NAME["1,000 samples lost"], chance, 40.0, 40.0)
    found = measure_line((0.05 * samples).astype(np.complex64), kinds.RATE_HZ, made.hertz + 5.0, 30.0)
    assert found.frequency_hz == pytest.approx(made.hertz, abs=5 * found.sigma_hz)
