"""200 simulated crystals of each kind over six months: is the true error within the uncertainty that was foretold?"""

import numpy as np

from yarddial.analysis.stability.forecast import DAY_S, HABITS, CrystalKind, forecast
from yarddial.analysis.stability.track import Point

CRYSTALS, MONTHS_DAYS = 200, 180
# Ageing in the first year, ppm; per degree; wandering over a month; what a measurement errs by; by the hour of the day.
TRAITS: dict[CrystalKind, tuple[float, float, float, float, float]] = {
    "plain": (2.0, 0.1, 0.15, 0.05, 0.2),
    "compensated": (0.5, 0.01, 0.03, 0.01, 0.02),
    "oven": (0.05, 0.0005, 0.003, 0.001, 0.001),
    "resonator": (6.0, 1.7, 1.2, 0.3, 8.0),
}


def life(chance: np.random.Generator, kind: CrystalKind) -> np.ndarray:
    """Error in ppm for each day of a year: ageing that slows as a logarithm, seasons and weather, a random walk."""
    ageing, per_degree, walk, _, daily = TRAITS[kind]
    days = np.arange(361.0)
    slowing = chance.uniform(0.5, 4)
    aged = chance.normal(0, ageing) * np.log1p(slowing * days / 365.25) / np.log1p(slowing)
    degrees = 8 * np.sin(2 * np.pi * (days / 365.25 + chance.random()))
    weather = np.zeros(days.size)
    for day in range(1, days.size):
        weather[day] = weather[day - 1] * np.exp(-0.2) + 4 * np.sqrt(1 - np.exp(-0.4)) * chance.normal()
    walked = np.cumsum(chance.normal(0, walk / np.sqrt(30), days.size))
    # Each day it is looked at at another hour.
    hourly = chance.normal(0, daily, days.size)
    return hourly + chance.normal(0, 25) + aged + chance.normal(0, per_degree) * (degrees + weather) + walked


def prove() -> bool:
    """For each kind, the shares within one and two sigma."""
    good = True
    for kind in HABITS:
        off = []
        for seed in range(CRYSTALS):
            chance = np.random.default_rng(seed)
            true_ppm, sigma_ppm = life(chance, kind), TRAITS[kind][3]
            days = np.sort(chance.choice(np.arange(150), int(chance.integers(2, 9)), replace=False)).tolist()
            history = [Point(d * DAY_S, float(true_ppm[d]) + chance.normal(0, sigma_ppm), sigma_ppm) for d in days]
            for later in range(5, MONTHS_DAYS + 1, 5):
                day = days[-1] + later
                if day <= 360:
                    told = forecast(history, day * DAY_S, kind)
                    off.append(abs(true_ppm[day] - told.ppm) / told.sigma_ppm)
        one, two = float(np.mean(np.array(off) < 1)), float(np.mean(np.array(off) < 2))
        ok = abs(one - 0.68) <= 0.04 and abs(two - 0.95) <= 0.04
        good = good and ok
        print(f"{'ok  ' if ok else 'MISS'} {kind}: {one:.1%} within one sigma, {two:.1%} within two (68 and 95, +- 4)")
    return good
