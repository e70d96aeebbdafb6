"""Verdicts of all places, for the column at the left."""

from yarddial.session.log.verdict import log_verdict
from yarddial.session.overview.topics import Topics
from yarddial.session.sampling.verdict import span_line
from yarddial.session.station.verdict import bench_verdict
from yarddial.session.verdict import Verdict
from yarddial.yard.places import PLACE_NAMES, PlaceName
from yarddial.yard.station import Station


def all_verdicts(of: Topics) -> dict[str, Verdict]:
    """One line for each place by name, in the order of the places."""
    desk = of.desk
    by_place: dict[PlaceName, Verdict] = {
        "Bench": bench_verdict(desk, of.inspection.findings(), of.inspection.coverages()),
        "Span": span_line(desk),
        "Log": log_verdict(of.log, is_temporary=of.file.is_temporary),
    }
    for declaration, activity in of.made_rooms():
        if declaration.verdict is not None:
            place, verdict_of = declaration.verdict
            by_place[place] = verdict_of(activity, of)
    return {name: by_place[name] for name in PLACE_NAMES}


def all_quiet(station: Station, verdicts: dict[str, Verdict]) -> str:
    """What may be said where nothing was found wrong: an empty yard is not in order, nor is a place that warns."""
    if not station.parts:
        return "Nothing can be judged yet: the yard is empty."
    if not any(not route.missing for route in station.resolved_routes()):
        return "Nothing can be judged yet: no route runs from an antenna to a receiver."
    warned = [name for name, verdict in verdicts.items() if verdict.mark in ("stop", "look")]
    if warned:
        return f"Nothing is wrong with what is set; worth a look: {', '.join(warned)}."
    return "Nothing is wrong with what is set, as far as it was measured."
