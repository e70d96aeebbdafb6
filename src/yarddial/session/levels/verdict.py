"""Verdict of Levels: which gain, and why."""

from typing import TYPE_CHECKING

from yarddial.session.levels.levels import Levels
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.parts import GainStage

if TYPE_CHECKING:
    from yarddial.analysis.levels.advice import Advice
    from yarddial.analysis.levels.best_setting import BestGains

# A difference of gain that nobody hears.
NEAR_GAIN_DB = 3.0
# Harmless share of samples at full scale.
CLIPPED_SHARE = 1e-4


def levels_verdict(levels: Levels, desk: Desk) -> Verdict:
    """Verdict of Levels: which gain, and why."""
    stages = levels.stages
    if not stages:
        name = desk.route.receiver.name
        return Verdict("unknown", f"{name} has no gain to set.", "Nothing is to be done here.", "no gain")
    now = ", ".join(f"{stage.name} {stage.set_db:g} dB" for stage in stages)
    if levels.fraction is not None and levels.running_purpose != "weigh":
        what = "Testing" if levels.running_purpose == "test" else "Sweeping"
        return Verdict("unknown", f"{what}: {levels.fraction:.0%} done.", "Each step is heard shortly.", what.lower())
    if levels.trouble:
        return Verdict("look", "The sweep brought nothing.", f"{capital(levels.trouble)}.", "no result")
    if levels.setting is not None and levels.is_current and levels.advice is None:
        return _setting_verdict(levels.setting, stages, now)
    advice, swept = levels.advice, levels.swept
    if advice is None or swept is None or not levels.is_current:
        glance = _at_a_glance(levels, desk, now)
        if glance is not None:
            return glance
        what = "Sweep a stage: floor and signal are measured at each of its steps."
        return Verdict("unknown", f"Gain is not judged here: {now}.", what, now)
    set_db = next(stage.set_db for stage in stages if stage.name == swept.stage)
    same = abs(set_db - advice.gain_db) < 0.05
    if same or (abs(set_db - advice.gain_db) <= NEAR_GAIN_DB and not _bends(advice, set_db)):
        why = advice.reason if same else f"as good as {advice.gain_db:g} dB, {advice.reason}"
        return Verdict("good", f"{capital(swept.stage)} is right at {set_db:g} dB.", f"{capital(why)}.", now)
    verb = "Raise" if advice.gain_db > set_db else "Lower"
    sentence = f"{verb} {swept.stage} from {set_db:g} to {advice.gain_db:g} dB."
    return Verdict("look", sentence, f"{capital(advice.reason)}.", f"{verb.lower()} to {advice.gain_db:g} dB")


def _at_a_glance(levels: Levels, desk: Desk, now: str) -> Verdict | None:
    """Verdict from one spectrum without a sweep: gain far too high or far too low."""
    point, receiver = levels.weighed(), desk.route.receiver
    if point is None:
        return None
    from yarddial.analysis.levels.level_line import converter_hides

    are = "is" if len(levels.stages) == 1 else "are"
    if point.clipped_share > CLIPPED_SHARE:
        what = f"{point.clipped_share:.1%} of the samples are at full scale: lower it, or sweep for the best."
        return Verdict("look", f"{capital(now)} {are} too much.", what, "too high")
    if converter_hides(desk.route, point.floor_dbfs_hz):
        what = f"{receiver.name}'s ADC hides with its own noise what comes in: raise it, or sweep for the best."
        return Verdict("look", f"{capital(now)} {are} too little.", what, "too low")
    return None


def _setting_verdict(setting: "BestGains", stages: tuple[GainStage, ...], now: str) -> Verdict:
    """Advice for all stages together: what to change, each with its direction."""
    set_db = {stage.name: stage.set_db for stage in stages}
    changes = [
        f"{'raise' if gain_db > set_db[name] else 'lower'} {name} to {gain_db:g} dB"
        for name, gain_db in setting.gains_db
        if abs(gain_db - set_db.get(name, gain_db)) > 0.05
    ]
    if not changes:
        return Verdict("good", "The gains are right together.", f"{capital(setting.reason)}.", now)
    text = f"{capital(', '.join(changes))}".replace("-", "−")
    if tuple((stage.name, stage.set_db) for stage in stages) in setting.near:
        room_db = sum(stage.set_db for stage in stages) - sum(gain_db for _, gain_db in setting.gains_db)
        more = f"{text}: as good, and {room_db:.0f} dB more room for strong signals." if room_db > 0.5 else "It is."
        return Verdict("good", "The gains are as good as any.", more, now)
    return Verdict("look", f"{text}.", f"{capital(setting.reason)}.", changes[0].replace("-", "−"))


def _bends(advice: "Advice", gain_db: float) -> bool:
    return advice.bent_from_db is not None and gain_db >= advice.bent_from_db
