"""What is wrong with the yard, its file and its routes."""

from yarddial.session.finding import Act, Finding, MendYard, going
from yarddial.session.station.desk import Desk
from yarddial.session.station.inspection import Inspection
from yarddial.yard.frequency import format_frequency
from yarddial.yard.reach import reaching, why_out_of_reach
from yarddial.yard.station import Station


def file_findings(desk: Desk, recovered: Station | None) -> list[Finding]:
    """Edits that wait to be taken, or that could not be saved."""
    found: list[Finding] = []
    if recovered is not None:
        what = "Edits that could not be saved last time were kept"
        found.append(Finding("look", what, "the file is older than they are", Act("recover"), "Take them"))
    if desk.save_trouble:
        found.append(Finding("stop", f"Station file: {desk.save_trouble}", "edits are not yet kept"))
    return found


def bench_findings(inspection: Inspection) -> list[Finding]:
    """What is wrong with the yard, but for what the person has acknowledged; that stays listed on Bench."""
    found: list[Finding] = []
    for finding in inspection.findings():
        if finding.seen is not None or finding.mark == "good":
            continue
        what = finding.what if finding.safety else f"Bench: {finding.what}"
        if finding.mend is None:
            label = finding.mend_label or "Go to Bench"
            found.append(going(finding.mark, what, finding.why, "Bench", label))
        else:
            found.append(Finding(finding.mark, what, finding.why, MendYard(finding), finding.mend_label))
        if finding.safety:
            found[-1] = Finding(finding.mark, what, finding.why, found[-1].fix, found[-1].fix_label, True)
    return found


def reach_findings(desk: Desk) -> list[Finding]:
    """The dial out of reach of the route that is set."""
    station, line = desk.station, desk.line
    why = line.why_not(station.dial_hz)
    if not why:
        return []
    others = [other for other in reaching(station, station.dial_hz) if other.name != line.name]
    if others:
        what = f"{format_frequency(station.dial_hz)} is out of reach of {line.name}: {why}"
        return [Finding("look", what, f"{others[0].name} reaches it", Act("free the route"), "Take that")]
    what = f"{format_frequency(station.dial_hz)} is out of reach of every route"
    return [going("look", what, why_out_of_reach(station, station.dial_hz), "Bench")]
