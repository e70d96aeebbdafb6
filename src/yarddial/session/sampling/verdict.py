"""Verdict of Span: which rate and centre."""

from typing import TYPE_CHECKING

from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.frequency import format_frequency
from yarddial.yard.plain_text import count_of

if TYPE_CHECKING:
    from yarddial.session.sampling.span_planner import SpanAnswer


def span_line(desk: Desk) -> Verdict:
    """Span's line in the list of places: the rate in use."""
    route = desk.route
    if route.missing or route.why_not(desk.station.dial_hz):
        return Verdict("unknown", "", "", "out of reach")
    return Verdict("good", "", "", f"{route.receiver.rate_hz / 1e6:g} MS/s")


def span_verdict(answer: "SpanAnswer | None", desk: Desk, spur: str = "") -> Verdict:
    """Where to put rate and centre for a band, and how clean the result is.

    spur : a spurious signal at the dial from an earlier test, which no centre moves.
    """
    if answer is None:
        why = desk.route.why_not(desk.station.dial_hz)
        return Verdict("look", "The dial is out of reach.", f"{capital(why)}.", "out of reach")
    if spur:
        dial = format_frequency(desk.station.dial_hz, 0)
        more = "No rate or centre moves it: another route, or less gain, may."
        return Verdict("look", f"The dial at {dial} stands on a ghost.", f"{capital(spur)}. {more}", "on a ghost")
    if not answer.covers:
        sentence = f"{capital(answer.band.name)} takes {count_of(len(answer.steps), 'step')}."
        return Verdict("look", sentence, f"{capital(answer.trouble)}.", "in steps")
    best = answer.covers[0]
    where = format_frequency(best.centre_hz)
    sentence = f"{capital(answer.band.name)}: {best.rate_hz / 1e6:g} MS/s, centre at {where}."
    return Verdict("look" if best.hits else "good", sentence, f"{capital(best.why())}.", f"{best.rate_hz / 1e6:g} MS/s")
