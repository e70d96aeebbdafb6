"""The verdicts over all places, for the column at the left."""

from yarddial.session.bands.verdict import bands_verdict
from yarddial.session.calibration.verdict import place_verdict
from yarddial.session.first_light.verdict import first_light_verdict
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.listening.verdict import listen_verdict
from yarddial.session.log.verdict import log_verdict
from yarddial.session.overview.topics import Topics
from yarddial.session.sampling.verdict import span_line
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.session.station.verdict import bench_verdict
from yarddial.session.verdict import Verdict
from yarddial.yard.modes import mode_named
from yarddial.yard.station import Station


def all_verdicts(of: Topics) -> dict[str, Verdict]:
    """One line for every place, by its name."""
    desk = of.desk
    return {
        "Bench": bench_verdict(desk, of.inspection.findings(), of.inspection.coverages()),
        "First light": first_light_verdict(of.device_check, desk),
        "Span": span_line(desk),
        "True": place_verdict(of.calibration, mode_named(desk.station.mode)),
        "Levels": levels_verdict(of.levels, desk),
        "Ghosts": ghosts_verdict(of.span_test, desk),
        "Bands": bands_verdict(of.board.last),
        "Listen": listen_verdict(of.listening, of.live_receiver, desk),
        "Log": log_verdict(of.log),
    }


def all_quiet(station: Station, verdicts: dict[str, Verdict]) -> str:
    """What may be said where nothing was found wrong: an empty yard is not in order, nor is a place that warns."""
    if not station.parts:
        return "Nothing can be judged yet: the yard is empty."
    if not any(not line.missing for line in station.lines()):
        return "Nothing can be judged yet: no route runs from an antenna to a receiver."
    warned = [name for name, verdict in verdicts.items() if verdict.mark in ("stop", "look")]
    if warned:
        return f"Nothing is wrong with what is set; worth a look: {', '.join(warned)}."
    return "Nothing is wrong with what is set, as far as it was measured."
