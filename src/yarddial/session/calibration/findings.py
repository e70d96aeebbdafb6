"""Findings about the dial: not measured, off, contradicted, or outdated."""

from yarddial.session.calibration.calibration import Calibration
from yarddial.session.finding import Act, Finding, going
from yarddial.session.station.desk import Desk
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.plain_text import count_of

DAY_S = 86_400.0
REMINDED_S, HALF_YEAR_S = DAY_S, 183 * DAY_S


def dial_findings(calibration: Calibration, desk: Desk) -> list[Finding]:
    """Report the dial's error, its uncertainty, and how long it holds."""
    route = desk.route
    if route.why_not(desk.station.dial_hz):
        return []
    state, mode = calibration.state(), mode_named(desk.station.mode)
    findings: list[Finding] = []
    if calibration.fit is not None:
        # A sum that is entered is no fault: it only says what else could be learnt.
        is_entered = (waiting := calibration.proposal()) is not None and waiting.is_nothing
        findings += [
            going(
                "unknown" if is_entered and sentence in calibration.fit.inseparable else "look",
                f"True: {sentence}",
                "the dial is right only where it was measured",
                "True",
            )
            for sentence in (
                *calibration.fit.inseparable,
                *(remark.sentence for remark in calibration.fit.remarks if remark.kind == "contradiction"),
            )
        ]
        findings += [
            _outlier(calibration.fit.observations[i], calibration.fit.residuals_hz[i]) for i in calibration.fit.outliers
        ]
    proposal = calibration.proposal()
    if proposal is not None and not proposal.is_nothing and abs(state.error_hz) > 2 * state.sigma_hz:
        error = format_hertz(state.error_hz, state.sigma_hz)
        what = f"True: the correction is not entered; the dial reads {error}"
        why = f"entered, it would be true to {format_sigma(proposal.sigma_after_hz)[1:]} here"
        findings.append(Finding("look", what, why, Act("apply"), "Apply"))
    if calibration.oscillator_estimates.surprise:
        what = f"True: {calibration.oscillator_estimates.surprise}"
        findings.append(going("look", what, "what was known before does not count here", "True"))
    ago_s = calibration.oscillator_estimates.measured_s_ago()
    if ago_s is not None and ago_s > REMINDED_S and 2 * state.sigma_hz > mode.tolerance_hz:
        what = (
            f"True: last measured {count_of(round(ago_s / DAY_S), 'day')} ago; since then the uncertainty has grown to "
            f"{format_sigma(state.sigma_hz)}"
        )
        why = f"{mode.name} allows {format_sigma(mode.tolerance_hz)[1:]}"
        findings.append(going("look", what, why, "True", "Measure again"))
    elif ago_s is not None and ago_s > HALF_YEAR_S:
        what = f"True: last measured {count_of(round(ago_s / DAY_S), 'day')} ago"
        findings.append(going("unknown", what, "crystals age: once in half a year is good practice", "True"))
    drift_hz = calibration.drift_hz_per_minute()
    if drift_hz > mode.drift_hz:
        what = f"True: the dial drifts by {format_hertz(drift_hz, drift_hz / 5)} a minute"
        bears = format_hertz(mode.drift_hz, signed=False)
        why = f"{mode.name} allows {bears} a minute: let it warm up, then measure again"
        findings.append(going("look", what, why, "True"))
    if not calibration.touches_active_route():
        what = f"True: nothing measured on {route.name}; the dial may be off by some {format_sigma(state.sigma_hz)[1:]}"
        why = f"{mode.name} allows {format_sigma(mode.tolerance_hz)[1:]}"
        findings.append(Finding("unknown", what, why, Act("measure"), "Measure"))
    elif not findings and abs(state.error_hz) + 2 * state.sigma_hz > mode.tolerance_hz:
        what = f"True: the dial is known to {format_sigma(state.sigma_hz)} only, which is not enough twice over"
        why = f"{mode.name} allows {format_sigma(mode.tolerance_hz)[1:]}"
        findings.append(going("look", what, why, "True"))
    return findings


def _outlier(observation: Observation, residual_hz: float) -> Finding:
    name = f"{observation.reference_name} {format_frequency(observation.reference_hz)}"
    what = f"True: {name} left out, it disagrees by {format_hertz(residual_hz, observation.total_sigma_hz)}"
    return going("look", what, "all other measurements agree without it", "True")
