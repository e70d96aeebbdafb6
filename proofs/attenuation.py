"""The 3:1 test on random scenes through a receiver that bends: what it calls each line, and how each was made."""

import numpy as np

from yarddial.analysis.levels.three_to_one import judge_lines
from yarddial.engine.taps.gain_sweep import measure

SCENES, RATE_HZ, COUNT, PAIRS = 200, 1e6, 1 << 17, 4


def scene(seed: int) -> tuple[int, int, int, int]:
    """Lines judged right, judged wrong, left undecided, and too close to tell what they truly are."""
    chance = np.random.default_rng(seed)
    time_s = np.arange(COUNT) / RATE_HZ
    bin_hz = RATE_HZ / 4096
    places = bin_hz * (chance.choice(np.arange(-1_600, 1_600, 16), 14, replace=False) + chance.uniform(-2, 2, 14))
    places = places[np.abs(places) > 5e3]
    levels_db = np.where(np.arange(places.size) < 3, chance.uniform(-22, -12, places.size), chance.uniform(-80, -30))
    less_db, cubic, bits = float(chance.choice((6.0, 6.6, 9.1, 12.0))), chance.uniform(0.02, 0.15), 14
    waves = np.exp(2j * np.pi * places[:, None] * time_s + 2j * np.pi * chance.random((places.size, 1)))
    spans: tuple[list, list] = ([], [])
    for _ in range(PAIRS):
        for kind, attenuation_db in enumerate((0.0, less_db)):
            # Each signal fades by itself, half a decibel or so from dwell to dwell.
            faded = 10 ** ((levels_db + chance.normal(0, 0.5, places.size) - attenuation_db) / 20)
            samples = faded @ waves
            samples += 10 ** (-75 / 20) * (chance.standard_normal(COUNT) + 1j * chance.standard_normal(COUNT))
            samples = samples * (1 - cubic * np.abs(samples) ** 2)
            halves = np.round(np.stack([samples.real, samples.imag]) * 2 ** (bits - 1)) / 2 ** (bits - 1)
            spans[kind].append(measure((halves[0] + 1j * halves[1]).astype(np.complex64), RATE_HZ, 0.0, 1e4).span)
    products = np.array(
        [2 * a - b for a in places for b in places if a != b]
        + [a + b - c for i, a in enumerate(places) for b in places[:i] for c in places if c not in (a, b)]
    )
    strength_db = np.array(
        [2 * a + b for i, a in enumerate(levels_db) for j, b in enumerate(levels_db) if i != j]
        + [
            a + b + c + 6
            for i, a in enumerate(levels_db)
            for j, b in enumerate(levels_db[:i])
            for k, c in enumerate(levels_db)
            if k not in (i, j)
        ]
    ) + 20 * np.log10(cubic)
    right = wrong = open_ = mixed = 0
    for line in judge_lines(*spans, RATE_HZ, less_db):
        signal_db = levels_db[np.abs(places - line.offset_hz) < 2.5 * bin_hz].max(initial=-200.0)
        product_db = strength_db[np.abs(products - line.offset_hz) < 2.5 * bin_hz].max(initial=-200.0)
        if abs(signal_db - product_db) < 15:
            mixed += 1
            continue
        truth = "signal" if signal_db > product_db else "product"
        open_ += line.kind == "undecided"
        right += line.kind == truth
        wrong += line.kind not in (truth, "undecided")
    return right, wrong, open_, mixed


def prove() -> bool:
    """Counts right and wrong over all lines."""
    right, wrong, open_, mixed = np.sum([scene(seed) for seed in range(SCENES)], axis=0)
    good = right >= 0.98 * (right + wrong + open_)
    print(
        f"{'ok  ' if good else 'MISS'} {right + wrong + open_} lines: {right} right "
        f"({right / (right + wrong + open_):.2%}), {wrong} wrong, {open_} left open; {mixed} more are both in one"
    )
    return bool(good)
