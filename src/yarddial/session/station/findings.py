"""Findings about the yard, its file and its routes."""

from typing import TYPE_CHECKING

from yarddial.session.finding import Act, Finding, MendYard, going
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.session.station.inspection import Inspection
from yarddial.yard.errors import ReadOnlyFile
from yarddial.yard.frequency import format_frequency
from yarddial.yard.mark import Mark
from yarddial.yard.plain_text import count_of
from yarddial.yard.reach import reaching, why_out_of_reach
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported after the first paint.
    from yarddial.session.station.station_saver import StationSaver


def file_findings(desk: Desk, recovered: Station | None, saver: "StationSaver | None") -> list[Finding]:
    """Report recovered or unsaved edits, another program's version, and other windows."""
    findings: list[Finding] = []
    if recovered is not None:
        what = "Edits that could not be saved last time were kept"
        findings.append(Finding("look", what, "the file is older than they are", Act("recover"), "Take them"))
    if saver is not None and saver.conflict is not None:
        what = f"Station file: another program has changed {saver.path.name}"
        why = "nothing is saved over it; both versions are kept"
        findings.append(Finding("stop", what, why, Act("compare versions"), "Compare them"))
    elif isinstance(desk.save_failure, ReadOnlyFile):
        what = f"Station file: {desk.save_trouble}"
        findings.append(
            Finding("stop", what, "edits are kept elsewhere", Act("write read-only"), "Write it all the same")
        )
    elif desk.save_trouble:
        what = f"Station file: {desk.save_trouble}"
        findings.append(
            Finding("stop", what, "it is tried again and again", Act("save elsewhere"), "Keep it elsewhere")
        )
    for place in saver.left if saver is not None else ():
        findings.append(
            Finding("look", f"Station file: another program's version was kept as {place}", "it may hold edits")
        )
    if saver is not None and saver.others:
        count = "another window has" if saver.others == 1 else f"{saver.others} other windows have"
        what = f"Station file: {count} {saver.path.name} open"
        findings.append(Finding("look", what, "each asks before it writes over what the other wrote"))
    return findings


def bench_findings(inspection: Inspection) -> list[Finding]:
    """Report faults of the yard that are not acknowledged; those stay listed on Bench."""
    findings: list[Finding] = []
    for finding in inspection.findings():
        if finding.seen is not None or finding.mark == "good":
            continue
        what = finding.what if finding.safety else f"Bench: {finding.what}"
        if finding.mend is None:
            label = finding.mend_label or "Go to Bench"
            findings.append(going(finding.mark, what, finding.why, "Bench", label))
        else:
            findings.append(Finding(finding.mark, what, finding.why, MendYard(finding), finding.mend_label))
        if finding.safety:
            findings[-1] = Finding(finding.mark, what, finding.why, findings[-1].fix, findings[-1].fix_label, True)
    return findings


def hands_findings(hands: Hands) -> list[Finding]:
    """Report the next plug or switch that a hand must move for the active route, and doubts about earlier moves."""
    moves, findings = hands.asked_moves(), []
    if moves:
        more = f", then {count_of(len(moves) - 1, 'more move')}" if len(moves) > 1 else ""
        why = "nothing is measured over this route before" + (
            ": discharge the lead to earth first" if moves[0].outdoors else ""
        )
        what = f"By hand: {moves[0].sentence}{more}"
        if moves[0].check == "contradicted" and hands.check_sentence:
            why = hands.check_sentence
        mark: Mark = "unknown" if moves[0].check == "checking" else "look"
        findings.append(Finding(mark, what, why, Act("show the plugs"), "Show it"))
    return findings


def reach_findings(desk: Desk) -> list[Finding]:
    """Report a dial frequency that the active route does not reach."""
    station, route = desk.station, desk.route
    if not station.parts:
        what, why = "The yard is empty", "say what you have got, and it is built"
        return [Finding("look", what, why, Act("begin from the box"), "What have you got?")]
    why = route.why_not(station.dial_hz)
    if not why:
        return []
    others = [other for other in reaching(station, station.dial_hz) if other.name != route.name]
    if others:
        what = f"{format_frequency(station.dial_hz)} is out of reach of {route.name}: {why}"
        return [Finding("look", what, f"{others[0].name} reaches it", Act("free the route"), "Take that")]
    what = f"{format_frequency(station.dial_hz)} is out of reach of every route"
    return [going("look", what, why_out_of_reach(station, station.dial_hz), "Bench")]
