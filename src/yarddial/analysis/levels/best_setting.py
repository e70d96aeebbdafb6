"""Which setting of all gain stages together, what two habits cost, and what no gain can mend."""

from collections.abc import Sequence
from math import log10

import msgspec

from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.analysis.levels.unseen_products import with_unseen
from yarddial.yard.errors import BadSamples
from yarddial.yard.level import GainsDb

# A setting this near the best is as good; the least gain in front among them leaves strong signals most room.
NEAR_BEST_DB = 0.4
# Products of signals beyond the span that lie further under the signal move the channel's level less than it errs.
BLIND_DB = 13.0
BLIND_REMARK = f"; what signals beyond the span make is seen only within {BLIND_DB:g} dB of the signal"
# What stands less than this over noise and products is no wanted signal to decide by.
SIGNAL_OVER_NOISE_DB = 3.0
# Automatic gain fills the converter up to here, whatever is wanted: usual, and with room for peaks.
AUTOMATIC_DBFS = -9.0
# Beyond this share of full samples all else in the span is spoilt, whatever the one channel holds.
MAX_CLIPPED = 0.05
# A channel's power errs by this share over a dwell, and is beyond what is expected from that share on.
CHANNEL_ERRS, EXCESS_POWER_SHARE = 0.06, 0.15
# An attenuator is worth a word from this much on; none of more is usual.
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
    """Judge a sweep over settings.

    outside_share : of the noise at the antenna that comes from outside, 0 to 1: an attenuator weakens that with the
    signal and so costs nothing by it.

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
    # The least gain in front: what signals beyond the span make there is seen only where it is much.
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
    """Wanted signal over all else in its channel at every step, dB; what signals beyond the span make is taken off."""
    return _judged(with_unseen(steps))


def _unseen_db(seen: GainPoint, chosen: GainPoint) -> float:
    product_power = max(_power(chosen.products_dbfs) - _power(seen.products_dbfs), 1e-30)
    return 10 * log10(product_power / (_power(seen.noise_dbfs) + _power(seen.products_dbfs)))


def _judged(steps: Sequence[GainPoint]) -> list[float]:
    """The signal being what follows the gain.

    Its level per gain is the median over the steps in which nothing is clipped, each weighed by how well it tells; what
    the channel holds beyond that, noise and products known, is of the receiver's making too.
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
    # What a channel errs by is no distortion.
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
    """The habit of setting every control to its middle."""
    ranks = [sorted({step.gains_db[i][1] for step in steps}) for i in range(len(steps[0].gains_db))]
    middle = [rank[len(rank) // 2] for rank in ranks]
    return min(steps, key=lambda step: sum(abs(gain[1] - m) for gain, m in zip(step.gains_db, middle, strict=True)))


def _automatic(steps: Sequence[GainPoint]) -> GainPoint:
    """The habit of automatic gain: as full as it may be, by gain in front first."""
    able = [step for step in steps if step.total_dbfs <= AUTOMATIC_DBFS] or [min(steps, key=lambda s: s.total_dbfs)]
    return max(able, key=lambda step: (round(step.total_dbfs), step.gains_db))


def _attenuator(chosen: GainPoint, outside_share: float) -> tuple[int, float]:
    """Attenuation in front that helps most: products of the third order fall by twice it more than the signal."""

    def sndr(attenuation_db: int) -> float:
        loss = 10 ** (attenuation_db / 10)
        noise = 10 ** (chosen.noise_dbfs / 10) * (outside_share + (1 - outside_share) * loss)
        return -10 * log10(noise + 10 ** (chosen.products_dbfs / 10) / loss**2)

    best = max(range(MAX_DB + 1), key=sndr)
    gain_db = sndr(best) - sndr(0)
    return (best, gain_db) if gain_db >= WORTH_DB else (0, 0.0)
