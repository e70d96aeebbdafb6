"""Outlook for an oscillator in words: past change, forecast, and when to measure again."""

from collections.abc import Iterable

import msgspec

from yarddial.analysis.stability.forecast import HABITS, forecast
from yarddial.analysis.stability.temperature import Slope, fit_slope
from yarddial.analysis.stability.track import Point
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedChange, LoggedCorrection
from yarddial.session.calibration.oscillator_history import History, seconds_of
from yarddial.yard.errors import BadSamples
from yarddial.yard.frequency import format_number
from yarddial.yard.oscillators import spoken

DAY_S = 86_400.0
# Forecast range in days: a third of the history within these bounds.
MIN_AHEAD_D, MAX_AHEAD_D, OUTLOOK_STEPS = 30.0, 180.0, 40
# Significance in sigma that a change needs.
MIN_SIGNIFICANCE_SIGMA = 2.0


class Outlook(msgspec.Struct, frozen=True):
    """Forecast of one oscillator from its last measurement on, in words, and its slope with temperature."""

    ahead: tuple[Point, ...]
    verdict: str
    more: str
    slope: Slope | None


def outlook(history: History, now_s: float) -> Outlook:
    """Carry a history forward and describe the result."""
    points = history.points
    last_s, name = points[-1].time_s, spoken(history.name)
    days = min(max((last_s - points[0].time_s) / DAY_S / 3, MIN_AHEAD_D), MAX_AHEAD_D)
    end_s = max(last_s, now_s) + days * DAY_S
    try:
        ahead = tuple(_told(history, last_s + (end_s - last_s) * i / OUTLOOK_STEPS) for i in range(OUTLOOK_STEPS + 1))
        today = _told(history, max(now_s, last_s))
        restless = forecast(points, max(now_s, last_s), history.kind).scale
    except BadSamples as error:
        return Outlook((), f"{name[:1].upper()}{name[1:]} cannot be foretold.", f"{error}.", None)
    uncertainty = format_number(today.sigma_ppm, today.sigma_ppm / 3)
    value = format_number(today.ppm, today.sigma_ppm, signed=True)
    verdict = f"{name[:1].upper()}{name[1:]} should be at {value} ± {uncertainty} ppm today."
    more = [_changed(points)]
    if len(points) > 2:
        calm = "calmer than" if restless < 0.7 else "more restless than" if restless > 1.4 else "as steady as"
        more.append(f"It is {calm} {HABITS[history.kind].plural} usually are")
    slope = _slope(history)
    if slope is not None:
        sentence = slope.sentence()
        more.append(sentence[:1].upper() + sentence[1:])
    return Outlook(ahead, verdict, ". ".join(text for text in more if text) + ".", slope)


def corrections(entries: Iterable[Entry], station_name: str) -> tuple[Entry, ...]:
    """Corrections that were entered, newest first."""
    return tuple(e for e in entries if e.station == station_name and isinstance(e.data, LoggedCorrection))


def since_last_correction(entries: Iterable[Entry], station_name: str) -> str:
    """Difference of the last correction from the one before it, in words; empty without two."""
    latest_corrections = corrections(entries, station_name)
    if len(latest_corrections) < 2:
        return ""
    now, before = ({change.part: change for change in _changes(entry)} for entry in latest_corrections[:2])
    sentences = []
    for part, change in now.items():
        if part in before and change.unit == before[part].unit:
            digits = 0.001 if change.unit == "ppm" else 0.1
            moved = format_number(change.new - before[part].new, digits, signed=True)
            sentences.append(f"{part} {moved} {change.unit}")
    day = latest_corrections[1].at_utc[:10]
    return f"against the correction of {day}: {', '.join(sentences)}" if sentences else ""


def _changes(entry: Entry) -> tuple[LoggedChange, ...]:
    return entry.data.changes if isinstance(entry.data, LoggedCorrection) else ()


def _told(history: History, at_s: float) -> Point:
    expected = forecast(history.points, at_s, history.kind)
    return Point(at_s, expected.ppm, expected.sigma_ppm)


def _changed(points: tuple[Point, ...]) -> str:
    if len(points) < 2:
        return "Measured once: how it changes is taken from its kind until it was measured on other days"
    before, last = points[-2], points[-1]
    days = (last.time_s - before.time_s) / DAY_S
    moved = last.ppm - before.ppm
    uncertainty = (last.sigma_ppm**2 + before.sigma_ppm**2) ** 0.5
    text = f"{format_number(moved, uncertainty, signed=True)} ± {format_number(uncertainty, uncertainty / 3)} ppm"
    since = f"in the {days:.0f} days" if days >= 1.5 else "in the last day"
    if abs(moved) < MIN_SIGNIFICANCE_SIGMA * uncertainty:
        return f"It did not move {since} between the last two measurements ({text})"
    return f"It moved by {text} {since} between the last two measurements"


def _slope(history: History) -> Slope | None:
    noted = [(p, t) for p, t in zip(history.points, history.temperatures_c, strict=True) if t is not None]
    try:
        return fit_slope([point for point, _ in noted], [warmth for _, warmth in noted])
    except BadSamples:
        return None


def corrected_s(entries: Iterable[Entry], station_name: str) -> tuple[float, ...]:
    """Times of corrections, seconds since 1970."""
    return tuple(seconds_of(entry.at_utc) for entry in corrections(entries, station_name))
