"""Choice of gain from floor and wanted signal at each real step."""

from collections.abc import Sequence

import msgspec

from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.yard.errors import BadSamples
from yarddial.yard.plain_text import count_of

# Advise the lowest gain within this of the best: more only reduces the room for strong signals.
NEAR_BEST_DB = 0.5
# A signal is compressed when it lags behind the gain by this much.
COMPRESSED_DB = 1.0
# Gain range over which the floor must rise with it.
LEVER_DB = 5.0
# Minimum level of a wanted signal above the noise in its channel.
CHANNEL_OVER_FLOOR_DB = 3.0


class Advice(msgspec.Struct, frozen=True):
    """The gain to set and why.

    by : whether a wanted signal decided, or the antenna's noise alone.
    over_db : signal over noise at that gain; None without a signal.
    taken_over_db : gain from which the antenna's noise, not the converter's, makes the floor; None where it never does.
    bent_from_db : gain from which the ADC is overloaded or the signal no longer follows; None where none is.
    half_way_costs_db, max_costs_db : what the middle of the control, and its end, cost against the best.
    """

    gain_db: float
    by: str
    reason: str
    over_db: float | None
    taken_over_db: float | None
    bent_from_db: float | None
    midpoint_costs_db: float | None
    max_costs_db: float | None


def advise(steps: Sequence[GainPoint]) -> Advice:
    """Evaluate a gain sweep and advise a gain.

    The floor at gain g is ADC noise plus incoming noise: 10^(q/10) + 10^((c + g)/10). Where the second dominates, more
    gain brings nothing; where the first matters, a weak signal suffers.

    Raises
    ------
    BadSamples
        Fewer than three steps, or every step is clipped.
    """
    steps = sorted(steps, key=lambda step: step.gain_db)
    if len(steps) < 3:
        raise BadSamples(f"{count_of(len(steps), 'step')}: too few to tell anything of a gain; sweep three or more")
    bent_from_db = _bent_from_db(steps)
    able = [step for step in steps if bent_from_db is None or step.gain_db < bent_from_db]
    if not able:
        raise BadSamples("the ADC is overloaded even at the least gain: put an attenuator in front, or a filter")
    taken_over_db = _taken_over_db(able)
    best = max(able, key=lambda step: step.over_db)
    if best.over_db < CHANNEL_OVER_FLOOR_DB:
        gain_db = taken_over_db if taken_over_db is not None else able[-1].gain_db
        reason = (
            "from here on the antenna's noise makes the floor; more gain only costs what strong signals need"
            if taken_over_db is not None
            else "the antenna's noise never takes over: even here the receiver's own is stronger"
        )
        return Advice(gain_db, "noise", reason, None, taken_over_db, bent_from_db, None, None)
    chosen = next(step for step in able if step.over_db >= best.over_db - NEAR_BEST_DB)
    reason = f"the least gain that hears the signal within {NEAR_BEST_DB:g} dB of the best"
    midpoint, limit = steps[len(steps) // 2], steps[-1]
    return Advice(
        chosen.gain_db,
        "signal",
        reason,
        chosen.over_db,
        taken_over_db,
        bent_from_db,
        best.over_db - midpoint.over_db,
        best.over_db - limit.over_db,
    )


def _bent_from_db(steps: Sequence[GainPoint]) -> float | None:
    """First gain at which the ADC is overloaded, or the channel falls behind the gain after having followed it.

    Below one ADC step a signal does not follow either, which is no overload.
    """
    standing = sorted(step.channel_dbfs - step.gain_db for step in steps if step.over_db > 10 and not step.is_clipped)
    follows_db = standing[len(standing) // 2] if standing else None
    has_followed = False
    for step in steps:
        if step.is_clipped:
            return step.gain_db
        if follows_db is None or step.over_db <= 10:
            continue
        behind_db = step.gain_db + follows_db - step.channel_dbfs
        has_followed = has_followed or abs(behind_db) < COMPRESSED_DB / 2
        if has_followed and behind_db > COMPRESSED_DB:
            return step.gain_db
    return None


def _taken_over_db(steps: Sequence[GainPoint]) -> float | None:
    """Lowest gain at which the ADC adds no more than half a decibel to the incoming noise."""
    top = steps[-1]
    lower = [step for step in steps if step.gain_db <= top.gain_db - LEVER_DB]
    if not lower or top.floor_dbfs_hz - lower[-1].floor_dbfs_hz < 0.85 * (top.gain_db - lower[-1].gain_db):
        return None
    incoming_db = top.floor_dbfs_hz - top.gain_db
    found_db = top.gain_db
    for step in reversed(steps):
        if abs(step.floor_dbfs_hz - step.gain_db - incoming_db) > NEAR_BEST_DB:
            break
        found_db = step.gain_db
    return found_db
