"""Best combination of all gain stages, the cost of two common habits, and what no gain can fix."""

from collections.abc import Sequence
from math import log10

import msgspec

from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.analysis.levels.unseen_products import with_unseen
from yarddial.yard.errors import BadSamples
from yarddial.yard.level import GainsDb

# A setting this close to the best is as good; the one with the least front gain leaves most room for strong signals.
NEAR_BEST_DB = 0.4
# Out-of-span products further below the signal than this change the channel's level less than its error.
BLIND_DB = 13.0
BLIND_REMARK = f"; what signals beyond the span make is seen only within {BLIND_DB:g} dB of the signal"
# A signal less than this above noise and products is no basis for a decision.
SIGNAL_OVER_NOISE_DB = 3.0
# Level to which automatic gain fills the ADC: usual, with room for peaks.
AUTOMATIC_DBFS = -9.0
# Above this share of clipped samples the rest of the span is spoilt, whatever the channel shows.
MAX_CLIPPED = 0.05
# Error of a channel's power over a dwell, and the excess from which it counts.
CHANNEL_ERRS, EXCESS_POWER_SHARE = 0.06, 0.15
# Mention an attenuator from this much on; larger ones than the second are unusual.
WORTH_DB, MAX_DB = 1.0, 40


class BestGains(msgspec.Struct, frozen=True):
    """Gains to set, and why.

    sndr_db : wanted signal over noise and products at it. half_way_costs_db, automatic_costs_db : against the best.
    unseen_db : products of signals beyond the span over noise and all else at these gains, None where none are found.
    attenuator_db : in front, what would help further, 0 where none; attenuator_gains_db : and by how much.
    filter_db : off the strongest signal, so that products fall 6 dB under the noise; 0 where they lie there already.
    near : every setting that is as good.
    """

    gains_db: GainsDb
    sndr_db: float
    reason: str
    midpoint_costs_db: float
    automatic_costs_db: float
    attenuator_db: int = 0
    attenuator_gains_db: float = 0.0
    filter_db: float = 0.0
    near: tuple[GainsDb, ...] = ()
    unseen_db: float | None = None


def best_setting(steps: Sequence[GainPoint], outside_share: float = 0.0) -> BestGains:
    """Evaluate a sweep over settings.

    outside_share : share of the antenna noise that comes from outside, 0 to 1: an attenuator weakens it with the
    signal, so that share costs nothing.

    Raises
    ------
    BadSamples
        No wanted signal stands out at any setting.
    """
    seen, steps = list(steps), with_unseen(steps)
    over_db = _judged(steps)
    able = [(step, db) for step, db in zip(steps, over_db, strict=True) if step.clipped_share <= MAX_CLIPPED]
    if not able:
        raise BadSamples("the ADC is overloaded at every setting: put an attenuator in front, or a filter")
    best_db = max(db for _, db in able)
    if best_db < SIGNAL_OVER_NOISE_DB:
        raise BadSamples("no wanted signal stands out at any setting: put the dial on one, then sweep")
    near = [step for step, db in able if db >= best_db - NEAR_BEST_DB]
    # Prefer the least front gain: out-of-span products are visible only when large.
    chosen = min(near, key=lambda step: tuple(gain for _, gain in step.gains_db) or (step.gain_db,))
    attenuator_db, gains_db = _attenuator(chosen, outside_share)
    excess_db = chosen.products_over_noise_db + 6.0
    return BestGains(
        chosen.gains_db,
        over_db[steps.index(chosen)],
        _reason(chosen, is_unseen=steps != seen) + (BLIND_REMARK if over_db[steps.index(chosen)] > BLIND_DB else ""),
        max(best_db - over_db[steps.index(_midpoint(steps))], 0.0),
        max(best_db - over_db[steps.index(_automatic(steps))], 0.0),
        attenuator_db,
        gains_db,
        max(excess_db, 0.0) if gains_db >= WORTH_DB else 0.0,
        tuple(step.gains_db for step in near),
        _unseen_db(seen[steps.index(chosen)], chosen) if steps != seen else None,
    )


def judged_db(steps: Sequence[GainPoint]) -> list[float]:
    """Signal over everything else in its channel at every step, dB, with out-of-span products removed."""
    return _judged(with_unseen(steps))


def _unseen_db(seen: GainPoint, chosen: GainPoint) -> float:
    product_power = max(_power(chosen.products_dbfs) - _power(seen.products_dbfs), 1e-30)
    return 10 * log10(product_power / (_power(seen.noise_dbfs) + _power(seen.products_dbfs)))


def _judged(steps: Sequence[GainPoint]) -> list[float]:
    """Separate the signal, which follows the gain, from the rest.

    Its level per gain is the weighted median over the unclipped steps; what the channel holds beyond it, known noise
    and products, comes from the receiver too.
    """
    clear = [step for step in steps if not step.is_clipped] or list(steps)
    tells = []
    for step in clear:
        gain = 10 ** (step.gain_db / 10)
        channel, noise, products = (_power(db) for db in (step.channel_dbfs, step.noise_dbfs, step.products_dbfs))
        uncertainty = CHANNEL_ERRS * (channel + noise) + products
        tells.append(((channel - noise - products) / gain, (gain / uncertainty) ** 2))
    tells.sort()
    half, signal = sum(weight for _, weight in tells) / 2, 0.0
    for value, weight in tells:
        signal, half = value, half - weight
        if half <= 0:
            break
    return [_over_db(step, max(signal, 0.0)) for step in steps]


def _over_db(step: GainPoint, signal: float) -> float:
    channel, noise, products = (_power(db) for db in (step.channel_dbfs, step.noise_dbfs, step.products_dbfs))
    wanted = min(signal * 10 ** (step.gain_db / 10), max(channel - noise - products, 1e-30))
    # The normal error of a channel is no distortion.
    beyond = channel * (1 - EXCESS_POWER_SHARE) - wanted - noise - products
    return 10 * log10(max(wanted, 1e-30) / (noise + products + max(beyond, 0.0)))


def _power(db: float) -> float:
    return 10 ** (db / 10)


def _reason(chosen: GainPoint, *, is_unseen: bool) -> str:
    if is_unseen:
        return (
            "strong signals beyond the span make products in the channel: settings of equal gain hold unequally much; "
            "a filter or an attenuator in front helps"
        )
    if chosen.products_over_noise_db > -3.0:
        return "more gain makes products of strong signals, less lets the receiver's own noise through"
    return "from here on the ADC's noise no longer counts; more gain only costs what strong signals need"


def _midpoint(steps: Sequence[GainPoint]) -> GainPoint:
    """Habit: every control at its middle."""
    ranks = [sorted({step.gains_db[i][1] for step in steps}) for i in range(len(steps[0].gains_db))]
    middle = [rank[len(rank) // 2] for rank in ranks]
    return min(steps, key=lambda step: sum(abs(gain[1] - m) for gain, m in zip(step.gains_db, middle, strict=True)))


def _automatic(steps: Sequence[GainPoint]) -> GainPoint:
    """Habit: automatic gain, as full as possible, front gain first."""
    able = [step for step in steps if step.total_dbfs <= AUTOMATIC_DBFS] or [min(steps, key=lambda s: s.total_dbfs)]
    return max(able, key=lambda step: (round(step.total_dbfs), step.gains_db))


def _attenuator(chosen: GainPoint, outside_share: float) -> tuple[int, float]:
    """Most useful attenuation in front: third-order products fall by twice that more than the signal."""

    def sndr(attenuation_db: int) -> float:
        loss = 10 ** (attenuation_db / 10)
        noise = 10 ** (chosen.noise_dbfs / 10) * (outside_share + (1 - outside_share) * loss)
        return -10 * log10(noise + 10 ** (chosen.products_dbfs / 10) / loss**2)

    best = max(range(MAX_DB + 1), key=sndr)
    gain_db = sndr(best) - sndr(0)
    return (best, gain_db) if gain_db >= WORTH_DB else (0, 0.0)
