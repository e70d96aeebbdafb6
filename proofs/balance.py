"""Blind I/Q balance from 33 dB on random one-sided scenes: the mirror that is left, by algebra; and clean signals."""

import numpy as np

from yarddial.dsp.iq_balance import BalanceEstimator

RATE_HZ, SCENES = 2.4e6, 30


def scene(seed: int, seconds_s: float) -> np.ndarray:
    """Carriers with sound and noise-like bands at random places, none the mirror of another; 8-bit noise below."""
    chance = np.random.default_rng(seed)
    count = int(seconds_s * RATE_HZ)
    samples = 0.004 * (chance.standard_normal(count, np.float32) + 1j * chance.standard_normal(count, np.float32))
    time_s = np.arange(count) / RATE_HZ
    for _ in range(int(chance.integers(6, 16))):
        hertz, level = chance.uniform(-1e6, 1e6), 10 ** chance.uniform(-2.2, -0.8)
        tone, phase = chance.uniform(300, 3_000), chance.uniform(0, 2 * np.pi)
        if chance.random() < 0.5:
            size = level * (1 + 0.5 * np.sin(2 * np.pi * tone * time_s))
            samples += size * np.exp(1j * (2 * np.pi * (hertz * time_s % 1.0) + phase))
        else:
            bend = chance.uniform(2_000, 60_000) / tone * np.sin(2 * np.pi * tone * time_s)
            samples += level * np.exp(1j * (2 * np.pi * (hertz * time_s % 1.0) + bend + phase))
    return samples.astype(np.complex64)


def residual_db(first: complex, second: complex, mirror: complex) -> float:
    """How far the mirror is down in y - m y* of y = K1 x + K2 x*."""
    return float(
        -20 * np.log10(max(abs((second - mirror * first.conjugate()) / (first - mirror * second.conjugate())), 1e-12))
    )


def prove() -> bool:
    """Print the worst, the median, and what was done to clean signals."""
    good = True
    for seconds_s, wanted_db in ((0.5, 75.0), (2.0, 85.0)):
        left, claimed = [], []
        for seed in range(SCENES):
            chance = np.random.default_rng(1_000 + seed)
            second = 10 ** (-33 / 20) * np.exp(2j * np.pi * chance.random())
            clean = scene(seed, seconds_s)
            estimator = BalanceEstimator()
            estimator.push((clean + np.complex64(second) * clean.conj()).astype(np.complex64))
            found = estimator.estimate()
            if found is None or not found.is_sure:
                print(f"scene {seed}: nothing told")
                left.append(33.0)
                continue
            left.append(residual_db(1.0, complex(second), found.mirror))
            claimed.append(found.after_db)
        print(
            f"{seconds_s} s: worst {min(left):.1f} dB, median {np.median(left):.1f} dB down "
            f"(claimed, median {np.median(claimed):.1f}); wanted {wanted_db:g}"
        )
        good = min(left) >= wanted_db and good
    touched = 0
    for seed in range(SCENES):
        estimator = BalanceEstimator()
        estimator.push(scene(500 + seed, 0.5))
        found = estimator.estimate()
        touched += found is not None and found.is_sure
    print(f"clean signals: {touched} of {SCENES} touched (wanted 0)")
    return good and not touched
