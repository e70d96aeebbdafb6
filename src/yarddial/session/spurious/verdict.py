"""Verdict of Ghosts: whether a signal is real."""

from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.frequency import format_frequency
from yarddial.yard.mark import Mark
from yarddial.yard.plain_text import count_of


def ghosts_verdict(span_test: SpanTest, desk: Desk) -> Verdict:
    """Whether the signal at the dial is real; else what the span contains."""
    if span_test.running:
        return Verdict("unknown", f"Looking {span_test.doing}.", "One change at a time; Esc stops it.", "testing")
    if span_test.trouble and span_test.was_cancelled:
        return Verdict(
            "unknown", "The test was ended before it was whole.", f"{capital(span_test.trouble)}.", "not tested"
        )
    if span_test.trouble:
        return Verdict("stop", "The span was not tested.", f"{capital(span_test.trouble)}.", "not tested")
    if span_test.before is None:
        what = "The receiver looks at its span under one change after the other; what is true stays where it is."
        return Verdict("unknown", "Nothing was tested yet.", what, "not tested")
    counts = {v: sum(j.judgement.verdict == v for j in span_test.judged) for v in ("true", "ghost", "unsure")}
    count_words = f"{counts['true']} true, {count_of(counts['ghost'], 'ghost')}"
    count_words += f", {counts['unsure']} open" if counts["unsure"] else ""
    here = span_test.at_dial()
    if here is None:
        mark: Mark = "good" if not counts["unsure"] else "look"
        return Verdict(mark, "Nothing stands out at the dial.", f"In the span: {count_words}.", count_words)
    where = format_frequency(desk.station.dial_hz)
    comb = span_test.comb_at_dial()
    if comb is not None:
        what = f"It comes in by the antenna with {comb.words}: something electrical near by. Hunt it."
        return Verdict("look", f"What stands at {where} is interference.", what, count_words)
    if here.judgement.verdict == "true":
        return Verdict("good", f"What stands at {where} is really there.", f"In the span: {count_words}.", count_words)
    if here.judgement.verdict == "ghost":
        return Verdict("stop", f"What stands at {where} is a ghost.", f"{capital(here.judgement.words)}.", count_words)
    return Verdict(
        "look", f"It is not sure what stands at {where}.", f"Likeliest: {here.judgement.words}.", count_words
    )
