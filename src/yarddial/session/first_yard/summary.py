"""What the yard that is about to be built can do, and what it lacks: shown before it is built."""

import msgspec

from yarddial.analysis.audit.caution import caution_for
from yarddial.analysis.audit.check import check_yard
from yarddial.session.first_yard.answers import BoxAnswers
from yarddial.session.first_yard.building import leaflet_los_hz
from yarddial.session.first_yard.questions import WISHES
from yarddial.yard.frequency import format_frequency
from yarddial.yard.mark import Mark
from yarddial.yard.station import Station

# The rest is on Bench after the yard is built.
MAX_FINDINGS = 4


class Summary(msgspec.Struct, frozen=True):
    """Mark and headline; a line for each wish with its mark; what Bench would say; cautions, each once."""

    mark: Mark
    headline: str
    wishes: tuple[tuple[Mark, str], ...]
    findings: tuple[tuple[Mark, str], ...]
    cautions: tuple[str, ...]


def summary_of(station: Station, answers: BoxAnswers) -> Summary:
    """Judge a yard by what the person wants to hear."""
    routes = [route for route in station.resolved_routes() if not route.missing]
    wishes: list[tuple[Mark, str]] = []
    for wish in answers.wishes:
        option, hertz = WISHES[wish]
        able = [route.name for route in routes if not route.why_not(hertz)]
        if able:
            wishes.append(("good", f"{option.words}: over {able[0]}"))
        else:
            why = next((route.why_not(hertz) for route in routes), "no route is finished yet")
            wishes.append(("stop", f"{option.words}: not reached, {why}"))
    bench = [f for f in check_yard(station) if f.mark == "stop" or (f.mark == "look" and f.safety)]
    findings = [*_two_oscillators(answers), *((finding.mark, finding.what) for finding in bench[:MAX_FINDINGS])]
    cautions = dict.fromkeys(caution for part in station.parts if (caution := caution_for(part)))
    missed = sum(mark == "stop" for mark, _ in wishes)
    if not routes:
        mark, headline = "look", "No route is finished: an antenna or a receiver is missing."
    elif missed:
        mark, headline = "look", f"{len(wishes) - missed} of {len(wishes)} wishes are reached."
    else:
        count = len(routes)
        mark = "look" if findings else "good"
        headline = (
            f"{count} route{'s' if count > 1 else ''} will reach the receiver{'; see to this first' * bool(findings)}."
        )
    return Summary(mark, headline, tuple(wishes), tuple(findings), tuple(cautions))  # type: ignore[arg-type]


def _two_oscillators(answers: BoxAnswers) -> list[tuple[Mark, str]]:
    los = [format_frequency(hertz) for hertz in leaflet_los_hz(answers)]
    if len(los) < 2:
        return []
    return [("look", f"The leaflet gives {' and '.join(los)}: begin with {los[0]}; True, 'Which oscillator', decides")]
