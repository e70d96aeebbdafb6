"""Verdict of True and of the dial: its error, whether that serves, and for how long."""

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING

import msgspec

from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.oscillator_history import seconds_of
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.modes import Mode, mode_named, suitability
from yarddial.yard.oscillators import DialState, dial_state

if TYPE_CHECKING:
    # Imported when the list is opened.
    from yarddial.analysis.correction.measurement_plan import MeasurementPlan
    from yarddial.session.calibration.calibration_sequence import CalibrationSequence
    from yarddial.session.calibration.oscillator_list import OscillatorRow

# Duration of one measurement of a sequence, with overhead.
MEASUREMENT_S = 40.0
DAY_S, MAX_S = 86_400.0, 365.25 * 86_400.0
# An uncertainty that has grown by this factor since the measurement is explained.
GROWN_TIMES = 1.5
UNCHECKED = "It rests on one measurement alone."


def dial_verdict(state: DialState, mode: Mode, *, measured: bool) -> Verdict:
    """Judge the dial at its frequency for a mode.

    An error within twice its uncertainty counts as none: the dial is then true to within the uncertainty.
    """
    error_hz, sigma_hz = state.error_hz, state.sigma_hz
    served = abs(error_hz) + 2 * sigma_hz <= mode.tolerance_hz
    fits = suitability(error_hz, sigma_hz)
    if not measured:
        return Verdict(
            "good" if served else "unknown",
            f"Your dial may be off by some {format_sigma(sigma_hz)[1:]} here.",
            f"Only the data sheets speak so far. {fits}",
            f"±{format_sigma(sigma_hz)[1:]}, not measured",
        )
    if abs(error_hz) > max(2 * sigma_hz, 0.5):
        side = "high" if error_hz > 0 else "low"
        size = format_hertz(abs(error_hz), sigma_hz, signed=False)
        return Verdict(
            "look",
            f"Your dial reads {size} {side} on this route.",
            f"Known to {format_sigma(sigma_hz)[1:]}. Enter the correction, then verify. {fits}",
            f"{size} {side}",
        )
    within = max(abs(error_hz), sigma_hz)
    return Verdict(
        "good" if served else "look",
        f"Your dial is true to {format_sigma(within)[1:]} on this route.",
        fits,
        f"true to {format_sigma(within)[1:]}",
    )


def lasts_sentence(calibration: Calibration) -> str:
    """How long the corrected dial will serve its mode; empty before any measurement."""
    if not calibration.touches_active_route():
        return ""
    mode, until_s = mode_named(calibration.mode), calibration.oscillator_estimates.serves_until_s()
    left_s = until_s - seconds_of("")
    if left_s <= 0:
        allows = f"{mode.name} allows ({format_sigma(mode.tolerance_hz)[1:]})"
        return f"The uncertainty here is more than {allows}: measure again.{_grown_sentence(calibration)}"
    if left_s >= MAX_S - DAY_S:
        return f"Once corrected, it serves {mode.name} for a year or more."
    until = datetime.fromtimestamp(until_s, UTC)
    day = f"{until.day} {until:%B}" if left_s > DAY_S else f"{until:%H:%M} UTC"
    lasts = f"Once corrected, it serves {mode.name} until about {day}: measure again then."
    return f"{lasts}{_grown_sentence(calibration)}"


def _grown_sentence(calibration: Calibration) -> str:
    """Why the uncertainty is larger than it was when measured; empty while it is about the same."""
    estimates, now_hz = calibration.oscillator_estimates, calibration.state().sigma_hz
    route, dial_hz = calibration.dialled()
    if calibration.fit is None or route.missing:
        return ""
    then_hz = dial_state(route, dial_hz, estimates.fitted).sigma_hz
    if now_hz < GROWN_TIMES * then_hz:
        return ""
    at = datetime.fromtimestamp(estimates.fitted_s, UTC)
    drifts = "the crystal may have moved since, by its kind and its warmth"
    return f" It was {format_sigma(then_hz)} when measured at {at:%H:%M} UTC; {drifts}."


def place_verdict(calibration: Calibration, mode: Mode) -> Verdict:
    """True's line in the list of places: the dial, whatever is in progress."""
    why_not = calibration.why_out_of_reach()
    if why_not:
        return Verdict("look", "The dial is out of reach.", f"{why_not}.", "out of reach")
    return dial_verdict(calibration.state(), mode, measured=calibration.touches_active_route())


def true_verdict(calibration: Calibration, mode: Mode) -> Verdict:
    """Heading of True: a failure first, then what is in progress, then the dial."""
    if calibration.outcome is not None and calibration.outcome.kind == "failed":
        return Verdict("stop", "Nothing was measured.", capital(calibration.outcome.text) + ".", "not measured")
    if calibration.measuring is not None:
        now = calibration.measuring
        uncertainty = (
            "nothing stands out yet" if now.sigma_hz == float("inf") else f"uncertainty {format_sigma(now.sigma_hz)}"
        )
        return Verdict(
            "unknown",
            f"Measuring {now.reference.name}: {uncertainty}.",
            f"Searching {format_sigma(now.within_hz)} around the stated place. Esc cancels.",
            "measuring",
        )
    verdict = place_verdict(calibration, mode)
    if calibration.why_out_of_reach():
        return verdict
    inseparable = inseparable_here(calibration)
    if inseparable:
        consequence = f"{capital(inseparable)}."
        waiting = calibration.proposal()
        if waiting is not None and waiting.is_nothing:
            # What is entered serves all the same; what would separate them stands under "Measure next".
            consequence = f"{verdict.consequence} Only a sum of oscillators is known."
        return msgspec.structs.replace(verdict, consequence=consequence)
    if calibration.touches_active_route() and _is_unchecked(calibration):
        # Which one, and what would check it, stands under "Measure next".
        return msgspec.structs.replace(verdict, consequence=f"{verdict.consequence} {UNCHECKED}")
    return verdict


def inseparable_here(calibration: Calibration) -> str:
    """Which oscillators of the active route cannot be told apart yet, and what would help; empty for none."""
    fit, here = calibration.fit, {name for name, _ in calibration.state().slopes}
    groups = zip(fit.together, fit.inseparable, strict=False) if fit is not None else ()
    return next((sentence for group, sentence in groups if here & set(group)), "")


def _is_unchecked(calibration: Calibration) -> bool:
    """Return True where a value rests on a measurement that no other can check."""
    remarks = () if calibration.fit is None else calibration.fit.remarks
    return any(remark.kind == "unchecked" for remark in remarks)


def oscillators_verdict(rows: "Sequence[OscillatorRow]", sequence: "CalibrationSequence") -> Verdict:
    """Verdict on all oscillators: how many are true, and what helps the rest."""
    if not rows:
        return Verdict("unknown", "There is no oscillator to true.", "A route to a receiver comes first.", "none")
    count, true = len(rows), sum(row.mark == "good" for row in rows)
    plan = sequence.plan
    begins = f"{capital(_number(true))} of {_number(count)} oscillators {'is' if true <= 1 else 'are'} true."
    if true == count:
        unmet = "" if plan is None or not plan.unmet else _unmet_sentence(plan)
        serves = unmet or "Every route serves what it is used for."
        all_true = "The one oscillator is true." if count == 1 else f"All {_number(count)} are true."
        return Verdict("good", all_true, serves, "true")
    if (move := sequence.awaited_move) is not None:
        sentence = "A moment: the move is being checked." if move.check == "checking" else f"{capital(move.sentence)}."
        after = f"{_number(true)} of {_number(count)} are true; it waits for your hand, then goes on by itself."
        return Verdict("look", sentence, capital(after), "waits for a hand")
    if sequence.running:
        return Verdict(
            "unknown",
            f"Measuring: {true} of {_number(count)} are true.",
            "It goes on by itself; nothing is entered before you press Enter all.",
            "measuring",
        )
    if plan is None:
        return Verdict("unknown", begins, "The rest is being planned.", "planning")
    if not plan.measurements and (changes := sequence.will_change()):
        return Verdict(
            "look",
            "All is measured, and not yet entered.",
            f"Enter all changes {changes}; one undo takes it back.",
            "to enter",
        )
    left = len(plan.measurements)
    if left:
        minutes = max(round(left * MEASUREMENT_S / 60), 1)
        measurements = "one measurement" if left == 1 else f"{_number(left)} measurements"
        does = f"{capital(measurements)}, about {minutes} min, {'does' if left == 1 else 'do'} the rest."
        return Verdict(
            "look", f"{begins} {does}", _unmet_sentence(plan) or "Nothing then makes a route worse.", "to do"
        )
    own = [row for row in rows if row.entered == "cannot be"]
    if true + len(own) == count and own:
        names = " and ".join(row.title for row in own)
        return Verdict(
            "good", f"{begins} {capital(names)} is set in its own menu.", capital(own[0].next_step) + ".", "its menu"
        )
    return Verdict("look", begins, "Enter what is known, or add a known station for the rest.", "to enter")


def _unmet_sentence(plan: "MeasurementPlan") -> str:
    """Worst frequency that no known station can bring within tolerance."""
    if not plan.unmet:
        return ""
    place, sigma_hz = max(plan.unmet, key=lambda unmet_place: unmet_place[1] / unmet_place[0].tolerance_hz)
    where = format_frequency(place.dial_hz)
    return (
        f"{place.route.name} at {where} will be known to {format_sigma(sigma_hz)[1:]} only, where "
        f"{format_sigma(place.tolerance_hz)[1:]} is asked for: no known station does better."
    )


def _number(count: int) -> str:
    words = ("none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
    return words[count] if count < len(words) else str(count)
