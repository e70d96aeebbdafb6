"""Path arithmetic against an independent computation with 50 decimal digits."""

from decimal import Decimal, getcontext

import numpy as np

from yarddial.yard.frequency_conversion import KINDS, SamplingClock, Stage, trace

CHAINS = 10_000


def prove() -> bool:
    """Three converters, +-100 ppm, up to 40 GHz; allowed: 1e-6 Hz and the rounding of the largest number met."""
    getcontext().prec = 50
    chance = np.random.default_rng(2026)
    worst, worst_excess = Decimal(0), Decimal(-1)
    for _ in range(CHAINS):
        antenna_hz = float(chance.uniform(0, 40e9))
        stages = [_stage(chance) for _ in range(3)]
        true_ppm, entered_ppm = (float(p) for p in chance.uniform(-100, 100, 2))
        found = trace(antenna_hz, stages, SamplingClock(true_ppm, entered_ppm))
        exact, largest = _exact(antenna_hz, stages, true_ppm, entered_ppm)
        off = abs(Decimal(found.dial_hz) - exact)
        rounding = largest * Decimal(2) ** -52
        worst, worst_excess = max(worst, off), max(worst_excess, off - rounding)
    good = worst_excess <= Decimal("1e-6")
    print(f"{'ok  ' if good else 'MISS'} {CHAINS} chains: worst {worst:.2e} Hz, beyond rounding {worst_excess:.2e} Hz")
    return good


def _stage(chance: np.random.Generator) -> Stage:
    lo_hz = float(chance.uniform(1e6, 40e9))
    return Stage(KINDS[int(chance.integers(3))], lo_hz, lo_hz * float(chance.uniform(-100, 100)) * 1e-6)


def _exact(antenna_hz: float, stages: list[Stage], true_ppm: float, entered_ppm: float) -> tuple[Decimal, Decimal]:
    here, largest = Decimal(antenna_hz), Decimal(antenna_hz)
    for stage in stages:
        lo = Decimal(stage.lo_hz) + Decimal(stage.lo_error_hz)
        here = {"sum": here + lo, "low": here - lo, "high": lo - here}[stage.kind]
        largest = max(largest, abs(here), lo)
    million = Decimal(10) ** 6
    shown = here * (1 + Decimal(entered_ppm) / million) / (1 + Decimal(true_ppm) / million)
    for stage in reversed(stages):
        lo = Decimal(stage.lo_hz)
        shown = {"sum": shown - lo, "low": shown + lo, "high": lo - shown}[stage.kind]
    return shown, largest
