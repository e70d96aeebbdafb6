"""The carrier estimator against the Cramer-Rao bound, and its refusals. The long campaign is in proofs/."""

import numpy as np
import pytest
from numpy.typing import NDArray

from yarddial.dsp.carrier import estimate_carrier
from yarddial.yard.errors import BadSamples, NoCarrier

RATE_HZ = 48_000.0


def tone(
    frequency_hz: float, snr_db: float, seconds: float = 1.0, seed: int = 0, drift_hz_per_s: float = 0.0
) -> NDArray[np.complex64]:
    """A carrier in white noise with a given signal to noise in one bin, amplitude 0.01; frequency at mid-block."""
    chance = np.random.default_rng(seed)
    count = int(RATE_HZ * seconds)
    time = (np.arange(count) - (count - 1) / 2) / RATE_HZ
    phase = frequency_hz * time + drift_hz_per_s * time**2 / 2 + chance.uniform()
    noise = chance.standard_normal(2 * count).view(np.complex128) * np.sqrt(1e-4 * count / 10 ** (snr_db / 10) / 2)
    return (0.01 * np.exp(2j * np.pi * phase) + noise).astype(np.complex64)


def bound_hz(snr_db: float, seconds: float = 1.0) -> float:
    """Rife and Boorstyn's bound written out anew: sqrt(6 / snr) / (2 pi T), snr in one bin."""
    return float(np.sqrt(6 / 10 ** (snr_db / 10)) / (2 * np.pi * seconds))


@pytest.mark.parametrize("within_hz", [2_000.0, None])
@pytest.mark.parametrize("snr_db", [20.0, 60.0])
def test_it_works_at_the_bound_and_says_its_doubt_rightly(snr_db: float, within_hz: float | None) -> None:
    chance = np.random.default_rng(7)
    runs = 120
    errors, uncertainties = [], []
    for seed in range(runs):
        true_hz = float(chance.uniform(-1900, 1900))
        found = estimate_carrier(tone(true_hz, snr_db, seed=seed), RATE_HZ, 0.0, within_hz)
        errors.append(found.frequency_hz - true_hz)
        uncertainties.append(found.sigma_hz)
    rms = float(np.sqrt(np.mean(np.square(errors))))
    # Of 120 runs the RMSE itself is known to 6.5 %: three of its sigmas are allowed.
    assert rms / bound_hz(snr_db) == pytest.approx(1.0, abs=0.2)
    assert np.mean(uncertainties) / rms == pytest.approx(1.0, abs=0.2)
    assert abs(np.mean(errors)) < 3 * rms / runs**0.5


def test_a_drifting_carrier_is_read_at_mid_block_with_its_drift() -> None:
    found = estimate_carrier(tone(321.0, 50.0, 8.0, drift_hz_per_s=0.03), RATE_HZ, 300.0, 500.0)
    assert found.frequency_hz == pytest.approx(321.0, abs=5 * bound_hz(50.0, 8.0))
    assert found.drift_hz_per_s == pytest.approx(0.03, abs=5 * found.drift_sigma)


def test_noise_alone_is_refused_with_the_best_candidate_and_what_was_needed() -> None:
    chance = np.random.default_rng(3)
    for _ in range(20):
        noise = (chance.standard_normal(2 * 48_000) * 0.1).astype(np.float32).view(np.complex64)
        with pytest.raises(NoCarrier) as refused:
            estimate_carrier(noise, RATE_HZ, 0.0, 2_000.0)
        assert refused.value.best_snr_db < refused.value.needed_db
        assert "dB" in str(refused.value)


def test_a_neighbour_outside_the_search_is_left_alone() -> None:
    both = tone(300.0, 30.0) + 30 * tone(5_000.0, 60.0, seed=1)
    assert estimate_carrier(both, RATE_HZ, 0.0, 1_000.0).frequency_hz == pytest.approx(300.0, abs=0.2)
    assert estimate_carrier(both, RATE_HZ).frequency_hz == pytest.approx(5_000.0, abs=0.01)


def test_the_receivers_own_spike_at_the_centre_is_not_taken_for_a_carrier() -> None:
    spiked = tone(7_000.0, 30.0) + np.complex64(0.1)
    assert estimate_carrier(spiked, RATE_HZ).frequency_hz == pytest.approx(7_000.0, abs=0.1)


def test_a_carrier_at_the_very_edge_of_the_span_is_found() -> None:
    for true_hz in (-23_990.0, 23_990.0):
        assert estimate_carrier(tone(true_hz, 40.0), RATE_HZ).frequency_hz == pytest.approx(true_hz, abs=0.1)


@pytest.mark.parametrize(
    ("samples", "words"),
    [
        (np.zeros(10, np.complex64), "too few"),
        (np.zeros(1000, np.complex64), "alike"),
        (np.full(1000, 0.004 + 0.004j, np.complex64), "alike"),
        (np.full(1000, np.nan, np.complex64), "not finite"),
        (np.full(1000, 1 + 1j, np.complex64), "full scale"),
    ],
)
def test_what_is_no_signal_is_refused(samples: NDArray[np.complex64], words: str) -> None:
    with pytest.raises(BadSamples, match=words):
        estimate_carrier(samples, RATE_HZ, 0.0, 1_000.0)
