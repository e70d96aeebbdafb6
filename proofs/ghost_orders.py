"""Products of three signals to order 5, counted by brute force: every sum of multiples, and nothing else."""

import itertools

import msgspec
import numpy as np

from yarddial.analysis.ghosts.from_yard import scene_of
from yarddial.analysis.ghosts.products import products
from yarddial.yard.demo import demo_station
from yarddial.yard.parts.receiver import DirectSampling

TRIES, ORDER, SAME_HZ = 200, 5, 0.01


def prove() -> bool:
    """In a window of 5 MHz anywhere in HF; then where a direct sampler's zones fold them."""
    chance = np.random.default_rng(0)
    model = scene_of(demo_station().resolved_routes()[0], ()).receiver
    model = msgspec.structs.replace(model, iip2_dbm=30.0, iip3_dbm=10.0)
    wanted_count = missing = more = 0
    for _ in range(TRIES):
        hertz, dbm = np.sort(chance.uniform(1e6, 30e6, 3)), chance.uniform(-40, -20, 3)
        low_hz = float(chance.uniform(1e6, 25e6))
        window = (low_hz, low_hz + 5e6)
        got = np.unique(np.round(products(hertz, dbm, model, ORDER, -np.inf, (window,)).hertz, 3))
        wanted = set()
        for times in itertools.product(range(-ORDER, ORDER + 1), repeat=3):
            place = abs(float(np.dot(times, hertz)))
            if 2 <= sum(map(abs, times)) <= ORDER and window[0] <= place <= window[1]:
                wanted.add(round(place, 3))
        wanted_count += len(wanted)
        missing += sum(not np.any(np.abs(got - place) < SAME_HZ) for place in wanted)
        more += sum(not any(abs(place - one) < SAME_HZ for one in wanted) for place in got)
    zones_wrong, clock_hz = 0, 64e6
    for _ in range(10 * TRIES):
        tone_hz = float(chance.uniform(0, 5 * clock_hz))
        turns = (tone_hz / clock_hz) % 1.0
        zones_wrong += (
            abs(DirectSampling("x", clock_hz, 9).folded_hz(tone_hz) - min(turns, 1 - turns) * clock_hz) > 1e-3
        )
    good = not (missing or more or zones_wrong)
    print(
        f"{'ok  ' if good else 'MISS'} {TRIES} windows: {wanted_count} products of three signals to order {ORDER}, "
        f"{missing} missing, {more} too many; {10 * TRIES} tones in ten zones, {zones_wrong} folded wrong"
    )
    return good
