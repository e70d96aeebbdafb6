"""Mirrors and the centre spike: taken out where they are, and nothing touched where they are not."""

import numpy as np
import pytest

from yarddial.dsp.centre_spike import SpikeRemover
from yarddial.dsp.iq_balance import BalanceEstimator

RATE_HZ = 1e6
COUNT = 500_000
TIME_S = np.arange(COUNT) / RATE_HZ


def scene(places_hz: tuple[float, ...], seed: int = 1) -> np.ndarray:
    """Carriers with sound on them over noise."""
    chance = np.random.default_rng(seed)
    parts = chance.standard_normal((2, COUNT)) * 0.003
    samples = parts[0] + 1j * parts[1]
    for k, hertz in enumerate(places_hz):
        size = 0.1 * (1 + 0.5 * np.sin(2 * np.pi * (400 + 170 * k) * TIME_S))
        samples += size * np.exp(2j * np.pi * (hertz * TIME_S % 1.0) + 1j * k)
    return samples.astype(np.complex64)


@pytest.mark.parametrize("angle", [0.3, 2.0, -1.9])
def test_a_mirror_is_found_and_taken_out(angle: float) -> None:
    mirror = 10 ** (-33 / 20) * np.exp(1j * angle)
    clean = scene((120e3, -310e3, 222e3))
    samples = (clean + mirror * clean.conj()).astype(np.complex64)
    estimator = BalanceEstimator()
    for part in np.array_split(samples, 7):
        estimator.push(part)
    found = estimator.estimate()
    assert found is not None
    assert found.is_sure
    assert abs(found.mirror - mirror) < 10 ** (-75 / 20)
    assert abs(found.mirror - mirror) < 4 * found.sigma
    assert found.before_db == pytest.approx(33.0, abs=0.2)
    left = found.take_out(samples) - clean
    assert np.std(left) / np.std(clean) < 10 ** (-60 / 20)


def test_clean_samples_are_left_as_they_are_and_mirrored_scenes_tell_nothing() -> None:
    estimator = BalanceEstimator()
    assert estimator.estimate() is None
    clean = scene((120e3, -310e3))
    estimator.push(clean)
    found = estimator.estimate()
    assert found is not None
    assert not found.is_sure
    assert found.take_out(clean) is clean
    # Each station has its like on the other side, and sound at the centre is symmetric by nature.
    same = BalanceEstimator()
    same.push(scene((200e3, -200e3, 0.0)))
    told = same.estimate()
    assert told is None or not told.is_sure


def test_the_centre_spike_goes_and_what_stands_beyond_the_notch_stays() -> None:
    remover = SpikeRemover(RATE_HZ / 10, 0.25)
    time_s = np.arange(COUNT) / (RATE_HZ / 10)
    tone = 0.01 * np.exp(2j * np.pi * 1.25 * remover.notch_hz * time_s)
    noise = scene(())
    parts = [remover.push(part) for part in np.array_split((0.2 + 0.1j + tone + noise).astype(np.complex64), 61)]
    cleaned = np.concatenate(parts)[COUNT // 5 :]
    assert cleaned.size == COUNT - COUNT // 5
    spike = abs(cleaned.mean()) / abs(0.2 + 0.1j)
    assert 20 * np.log10(spike) < -50
    assert remover.before_dbfs - remover.after_dbfs > 50
    kept = abs(np.vdot(tone[COUNT // 5 :], cleaned)) / np.vdot(tone[COUNT // 5 :], tone[COUNT // 5 :]).real
    assert 20 * np.log10(kept) == pytest.approx(0.0, abs=0.3)
