"""Over Ghosts: is it really there."""

from yarddial.session.desk import Desk
from yarddial.session.ghosting import Ghosting
from yarddial.session.verdicts.verdict import Mark, Verdict
from yarddial.session.verdicts.wording import capital, count_of
from yarddial.yard.frequency import format_frequency


def ghosts_verdict(ghosting: Ghosting, desk: Desk) -> Verdict:
    """Whether what stands at the dial is really there; else what the span holds."""
    if ghosting.running:
        return Verdict("unknown", f"Looking {ghosting.doing}.", "One change at a time; Esc stops it.", "testing")
    if ghosting.trouble:
        return Verdict("stop", "The span was not tested.", f"{capital(ghosting.trouble)}.", "not tested")
    if ghosting.before is None:
        what = "The receiver looks at its span under one change after the other; what is true stays where it is."
        return Verdict("unknown", "Nothing was tested yet.", what, "not tested")
    counts = {v: sum(j.judgement.verdict == v for j in ghosting.judged) for v in ("true", "ghost", "unsure")}
    told = f"{counts['true']} true, {count_of(counts['ghost'], 'ghost')}"
    told += f", {counts['unsure']} open" if counts["unsure"] else ""
    here = ghosting.at_dial()
    if here is None:
        mark: Mark = "good" if not counts["unsure"] else "look"
        return Verdict(mark, "Nothing stands out at the dial.", f"In the span: {told}.", told)
    where = format_frequency(desk.station.dial_hz)
    if here.judgement.verdict == "true":
        return Verdict("good", f"What stands at {where} is really there.", f"In the span: {told}.", told)
    if here.judgement.verdict == "ghost":
        return Verdict("stop", f"What stands at {where} is a ghost.", f"{capital(here.judgement.words)}.", told)
    return Verdict("look", f"It is not sure what stands at {where}.", f"Likeliest: {here.judgement.words}.", told)
