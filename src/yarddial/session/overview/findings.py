"""What is wrong now, worst first; each with its number, why it matters, and what mends it."""

from typing import TYPE_CHECKING, Literal

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.listening.verdict import LIMIT_DBFS, listen_verdict
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.session.verdict import Verdict
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma, group_digits
from yarddial.yard.mark import Mark
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.reach import reaching, why_out_of_reach

if TYPE_CHECKING:
    from yarddial.session.session import Session

DAY_S = 86_400.0
REMINDED_S, HALF_YEAR_S = DAY_S, 183 * DAY_S

Fix = Literal[
    "", "measure", "apply", "go_true", "go_bench", "go_log", "free_route", "recover", "mend", "go_span",
    "go_first_light", "go_levels", "go_ghosts",
]  # fmt: skip


class Finding(msgspec.Struct, frozen=True):
    """One thing that is wrong: how bad, what (with its number), why it matters, and the fix by name and label.

    safety : stands before all others. bench : the finding of the bench that it passes on, if it does.
    """

    mark: Mark
    what: str
    why: str
    fix: Fix
    fix_label: str
    safety: bool = False
    bench: BenchFinding | None = None


def findings(session: "Session") -> tuple[Finding, ...]:
    """All findings of the moment: safety first, then the worst."""
    found = [*_kept(session), *_bench(session)]
    if session.desk.station.routes:
        found += [*_reach(session), *_receiver(session), *_dial(session), *_first_light(session)]
        found += [*_levels(session), *_ghosts(session), *_listen(session)]
    order = {"stop": 0, "look": 1, "unknown": 2, "good": 3}
    return tuple(sorted(found, key=lambda finding: (not finding.safety, order[finding.mark])))


def _bench(session: "Session") -> list[Finding]:
    """What is wrong with the yard, but for what the person has acknowledged; that stays listed on Bench."""
    found: list[Finding] = []
    for finding in session.inspection.findings():
        if finding.seen is not None or finding.mark == "good":
            continue
        fix: Fix = "mend" if finding.mend is not None else "go_bench"
        label = finding.mend_label or "Go to Bench"
        what = finding.what if finding.safety else f"Bench: {finding.what}"
        found.append(Finding(finding.mark, what, finding.why, fix, label, finding.safety, finding))
    return found


def _kept(session: "Session") -> list[Finding]:
    found: list[Finding] = []
    if session.recovered is not None:
        what = "Edits that could not be saved last time were kept"
        found.append(Finding("look", what, "the file is older than they are", "recover", "Take them"))
    if session.log.trouble:
        waiting = session.log.waiting
        what = f"Log: {session.log.trouble}"
        found.append(Finding("stop", what, f"{waiting} waiting, kept in memory until then", "go_log", "Go to Log"))
    if session.desk.save_trouble:
        found.append(Finding("stop", f"Station file: {session.desk.save_trouble}", "edits are not yet kept", "", ""))
    return found


def _reach(session: "Session") -> list[Finding]:
    station, line = session.desk.station, session.desk.line
    why = line.why_not(station.dial_hz)
    if not why:
        return []
    others = [other for other in reaching(station, station.dial_hz) if other.name != line.name]
    if others:
        what = f"{format_frequency(station.dial_hz)} is out of reach of {line.name}: {why}"
        return [Finding("look", what, f"{others[0].name} reaches it", "free_route", "Take that")]
    what = f"{format_frequency(station.dial_hz)} is out of reach of every route"
    return [Finding("look", what, why_out_of_reach(station, station.dial_hz), "go_bench", "Go to Bench")]


def _receiver(session: "Session") -> list[Finding]:
    live_receiver = session.live_receiver
    if live_receiver.trouble:
        return [Finding("look", f"Receiver: {live_receiver.trouble}", "nothing can be measured", "", "")]
    found: list[Finding] = []
    if live_receiver.running and live_receiver.lost_samples:
        what = f"Receiver: {group_digits(str(live_receiver.lost_samples))} samples lost since it was started"
        found.append(Finding("look", what, "every carrier's phase jumps: use a lower rate", "go_span", "Go to Span"))
    if live_receiver.running and live_receiver.pictures_left_out:
        what = (
            f"Receiver: {group_digits(str(live_receiver.pictures_left_out))} pictures left out, as the window was busy"
        )
        found.append(Finding("unknown", what, "no samples were lost by that", "", ""))
    if live_receiver.running and live_receiver.remark:
        found.append(Finding("look", f"Receiver: {live_receiver.remark}", "what is measured may be off", "", ""))
    return found


def _first_light(session: "Session") -> list[Finding]:
    """The worst of what the last run found, but for rates that are not set."""
    device_check, set_hz = session.device_check, session.desk.line.receiver.rate_hz
    wrong = [] if device_check.running else [r for r in device_check.results if r.verdict in ("stop", "look")]
    wrong = [result for result in wrong if result.figures.get("rate_hz", set_hz) == set_hz]
    if not wrong:
        return []
    first = min(wrong, key=lambda result: result.verdict != "stop")
    what = f"First light: {device_check.receiver}, {first.name}: {first.detail}"
    return [Finding(first.verdict, what, first.fix, "go_first_light", "Go to First light")]


def _levels(session: "Session") -> list[Finding]:
    verdict = levels_verdict(session.levels, session.desk)
    if verdict.mark not in ("stop", "look"):
        return []
    return [_passed_on("Levels", verdict, "go_levels")]


def _ghosts(session: "Session") -> list[Finding]:
    """What stands at the dial; a span that was not tested is nothing that is wrong."""
    if session.span_test.running or session.span_test.at_dial() is None:
        return []
    verdict = ghosts_verdict(session.span_test, session.desk)
    return [_passed_on("Ghosts", verdict, "go_ghosts")] if verdict.mark in ("stop", "look") else []


def _listen(session: "Session") -> list[Finding]:
    """A channel that is driven to its limit; that little stands in one is nothing wrong."""
    listening = session.listening
    if not listening.is_open or listening.level_dbfs is None or listening.level_dbfs <= LIMIT_DBFS:
        return []
    verdict = listen_verdict(listening, session.live_receiver, session.desk)
    return [_passed_on("Listen", verdict, "go_levels")] if verdict.mark == "look" else []


def _passed_on(place: str, verdict: Verdict, fix: Fix) -> Finding:
    sentence = verdict.sentence.rstrip(".")
    what = f"{place}: {sentence[:1].lower()}{sentence[1:]}"
    label = fix.removeprefix("go_").replace("_", " ").capitalize()
    return Finding(verdict.mark, what, verdict.consequence.rstrip("."), fix, f"Go to {label}")


def _dial(session: "Session") -> list[Finding]:
    calibration, line = session.calibration, session.desk.line
    if line.why_not(session.desk.station.dial_hz):
        return []
    state, mode = calibration.state(), mode_named(session.desk.station.mode)
    found: list[Finding] = []
    if calibration.fit is not None:
        found += [
            Finding(
                "look", f"True: {sentence}", "the dial is right only where it was measured", "go_true", "Go to True"
            )
            for sentence in (*calibration.fit.inseparable, *calibration.fit.remarks)
            if "contradict" in sentence or "apart" in sentence
        ]
        found += [
            _outlier(calibration.fit.observations[i], calibration.fit.residuals_hz[i]) for i in calibration.fit.outliers
        ]
    proposal = calibration.proposal()
    if proposal is not None and not proposal.is_nothing and abs(state.error_hz) > 2 * state.sigma_hz:
        error = format_hertz(state.error_hz, state.sigma_hz)
        what = f"True: the correction is not entered; the dial reads {error}"
        why = f"entered, it would be true to {format_sigma(proposal.sigma_after_hz)[1:]} here"
        found.append(Finding("look", what, why, "apply", "Apply"))
    if calibration.oscillator_estimates.surprise:
        what = f"True: {calibration.oscillator_estimates.surprise}"
        found.append(Finding("look", what, "what was known before does not count here", "go_true", "Go to True"))
    ago_s = calibration.oscillator_estimates.measured_s_ago()
    if ago_s is not None and ago_s > REMINDED_S and 2 * state.sigma_hz > mode.tolerance_hz:
        what = (
            f"True: last measured {ago_s / DAY_S:.0f} days ago; the doubt has grown to {format_sigma(state.sigma_hz)}"
        )
        why = f"{mode.name} bears {format_sigma(mode.tolerance_hz)[1:]}"
        found.append(Finding("look", what, why, "go_true", "Measure again"))
    elif ago_s is not None and ago_s > HALF_YEAR_S:
        what = f"True: last measured {ago_s / DAY_S:.0f} days ago"
        found.append(
            Finding("unknown", what, "crystals age: once in half a year is good practice", "go_true", "Go to True")
        )
    if not calibration.touches_active_route():
        what = f"True: nothing measured on {line.name}; the dial may be off by {format_sigma(2 * state.sigma_hz)[1:]}"
        why = f"{mode.name} bears {format_sigma(mode.tolerance_hz)[1:]}"
        found.append(Finding("unknown", what, why, "measure", "Measure"))
    elif not found and abs(state.error_hz) + 2 * state.sigma_hz > mode.tolerance_hz:
        what = f"True: the dial is known to {format_sigma(2 * state.sigma_hz)[1:]} only"
        why = f"{mode.name} bears {format_sigma(mode.tolerance_hz)[1:]}"
        found.append(Finding("look", what, why, "go_true", "Go to True"))
    return found


def _outlier(observation: Observation, residual_hz: float) -> Finding:
    name = f"{observation.reference_name} {format_frequency(observation.reference_hz)}"
    what = f"True: {name} left out, it disagrees by {format_hertz(residual_hz, observation.total_sigma_hz)}"
    return Finding("look", what, "all other measurements agree without it", "go_true", "Go to True")
