"""1,000 random chains: gain, noise figure, intercept and floor against 50 decimal digits worked out another way.

The other way carries noise and products forward, stage by stage, to the output, and refers them back at the end;
the program sums what each stage adds at the input.
"""

import random
from decimal import Decimal, getcontext

from yarddial.yard.cascade import ChainStage, cascade

CHAINS, WITHIN_DB = 1_000, 1e-9


def prove() -> bool:
    """The worst difference in dB."""
    getcontext().prec = 50
    chance, worst = random.Random(5), 0.0
    for _ in range(CHAINS):
        stages = [
            ChainStage(
                f"stage {n}", round(chance.uniform(-25, 35), 3), round(chance.uniform(0, 18), 3),
                round(chance.uniform(-30, 40), 3) if chance.random() < 0.8 else None,
            )
            for n in range(chance.randint(1, 9))
        ]  # fmt: skip
        bandwidth_hz = 10 ** chance.uniform(0, 7)
        found = cascade(stages, bandwidth_hz)
        source = Decimal(1)
        noise, gain, products = source, Decimal(1), Decimal(0)
        for stage in stages:
            noise = (noise + (_power(stage.nf_db) - 1) * source) * _power(stage.gain_db)
            # Products' amplitude at the output for an input of 1: each stage makes a^3 / IIP3 of what reaches it.
            if stage.iip3_dbm is not None:
                products += gain / _power(stage.iip3_dbm)
            gain *= _power(stage.gain_db)
        worst = max(worst, abs(found.gain_db - _db(gain)), abs(found.nf_db - _db(noise / (gain * source))))
        worst = max(
            worst, abs(found.floor_dbm - float(Decimal("-173.98") + _exact_db(noise / gain * Decimal(bandwidth_hz))))
        )
        if products:
            assert found.iip3_dbm is not None
            assert found.sfdr_db is not None
            worst = max(worst, abs(found.iip3_dbm - _db(1 / products)))
            worst = max(worst, abs(found.sfdr_db - 2 / 3 * (_db(1 / products) - found.floor_dbm)))
    good = worst <= WITHIN_DB
    print(f"{'ok  ' if good else 'MISS'} {CHAINS} chains, worst difference {worst:.1e} dB (<= {WITHIN_DB:g})")
    return good


def _power(db: float) -> Decimal:
    return Decimal(10) ** (Decimal(repr(db)) / 10)


def _exact_db(power: Decimal) -> Decimal:
    return 10 * power.log10()


def _db(power: Decimal) -> float:
    return float(_exact_db(power))
