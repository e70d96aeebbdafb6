"""Noise and levels from 10 kHz to 12 GHz against a second implementation in watts: city to galaxy, whip to dish.

Asked: within 0.5 dB.
"""

from datetime import datetime
from math import log10
from random import Random

import noise_watts as second
from yarddial.analysis.levels.level_line import converter_noise_dbfs_hz, level_line
from yarddial.yard.external_noise import Outside, Storms
from yarddial.yard.parts import Antenna, Converter, DirectSampling, Need, Port, Receiver, TwoPort, Value
from yarddial.yard.resolved_route import ResolvedRoute

ROWS = 20_000
# Kind, its size in metres, and its range.
ANTENNAS = (
    ("wire", 31.0, 0.1e6, 30e6), ("wire", 10.0, 0.1e6, 30e6), ("whip", 0.5, 60e6, 1e9), ("whip", 2.0, 1e6, 1e9),
    ("dipole", 10.0, 13.5e6, 15e6), ("dipole", 40.0, 3.5e6, 4e6), ("discone", 1.3, 60e6, 1.3e9),
    ("loop", 1.0, 0.1e6, 30e6), ("beam", 2.0, 143e6, 147e6), ("dish", 0.8, 1e9, 13e9),
)  # fmt: skip


def prove() -> bool:
    """Random yards, frequencies, places, months and hours; the worst difference of each figure."""
    chance = Random(15)
    worst = {"antenna noise": 0.0, "antenna's share": 0.0, "floor at the socket": 0.0, "sampler's noise": 0.0}
    for _ in range(ROWS):
        frequency_hz = 10 ** chance.uniform(4, 10.079)
        for figure, away_db in _one(chance, frequency_hz).items():
            worst[figure] = max(worst[figure], abs(away_db))
    good = all(away_db <= 0.5 for away_db in worst.values())
    told = ", ".join(f"{figure} {away_db:.3f} dB" for figure, away_db in worst.items())
    print(f"{'ok  ' if good else 'MISS'} {ROWS} rows from 10 kHz to 12 GHz, worst differences: {told}")
    return good


def _one(chance: Random, frequency_hz: float) -> dict[str, float]:
    surroundings = chance.choice(sorted(second.MADE))
    kind, size_m, low_hz, high_hz = chance.choice(ANTENNAS)
    is_active = kind in ("whip", "loop") and chance.random() < 0.3
    need = Need(9.0, 13.8, 100.0, "line") if is_active else None
    antenna = Antenna("A", low_hz, high_hz, kind=kind, length_m=size_m, need=need)  # type: ignore[arg-type]
    month, hour = chance.randint(1, 12), chance.randint(0, 23)
    case = chance.choice(("none", "now", "now, southern"))
    storms = {} if case == "none" else second.storm_weights(month, hour, case == "now, southern")
    # Parts that lie at T0: a cable, an amplifier or converter, another cable.
    loss_db, gain_db, nf_db, back_db = (chance.uniform(*ends) for ends in ((0, 6), (-8, 30), (0.5, 9), (0, 15)))
    middle = TwoPort("M", "preamplifier", Value(gain_db), nf_db=Value(nf_db))
    if chance.random() < 0.5:
        middle = Converter("M", "sum", Value(1e8), 1e8, 0, 1e11, gain_db=Value(gain_db), nf_db=Value(nf_db))
    inner = (TwoPort("C", "cable", Value(-loss_db)), middle, TwoPort("D", "attenuator", Value(-back_db)))
    direct = DirectSampling("P", 122.88e6) if chance.random() < 0.4 else None
    bits, sent = chance.choice((8, 14, 16)), chance.choice((0, 24))
    effective = bits - chance.uniform(0, 4)
    receiver = Receiver(
        "R", 1e3, 2e10, 1e7, Value(0.0), 0.0, (2e6,), 2e6, bits, direct=direct, ports=(Port("P"),),
        nf_db=Value(chance.uniform(3, 20)), effective_bits=Value(effective), stream_bits=sent,
    )  # fmt: skip
    line = ResolvedRoute("r", antenna, inner, receiver, frequency_hz, "P")
    bandwidth_hz = chance.choice((500.0, 2_400.0, 9_000.0))
    outside = Outside(surroundings, Storms.of(case, datetime(2026, month, 3, hour)))  # type: ignore[arg-type]
    mine = level_line(line, outside, bandwidth_hz)
    # And the same in watts.
    looks_at_ground = 0.12 if kind == "dish" else 0.5
    kelvins = second.antenna_kelvins(frequency_hz, surroundings, storms, looks_at_ground)
    share = 1.0 if is_active else second.delivered(kind, size_m, low_hz, frequency_hz)
    active = (28.0 if frequency_hz < 30e6 else 8.0) if is_active else 0.0
    receiver_factor = 10 ** (receiver.nf_db.value / 10) if receiver.nf_db is not None else 1.0
    stages = [
        (share, 1.0), (1.0, 10 ** (active / 10)), (10 ** (-loss_db / 10), 10 ** (loss_db / 10)),
        (10 ** (gain_db / 10), 10 ** (nf_db / 10)), (10 ** (-back_db / 10), 10 ** (back_db / 10)),
        (1.0, receiver_factor),
    ]  # fmt: skip
    watts = sum(second.noise_watts(kelvins, stages, bandwidth_hz))
    sampler = second.sampler_noise(effective, sent or bits, 2e6, 122.88e6 if direct is not None else 0.0)
    return {
        "antenna noise": mine.fa_db - 10 * log10(kelvins / second.STANDARD_K),
        "antenna's share": mine.antenna_db - 10 * log10(share),
        "floor at the socket": mine.plates[-1].floor_dbm - 10 * log10(watts) - 30,
        "sampler's noise": converter_noise_dbfs_hz(receiver, "P") - 10 * log10(sampler),
    }
