"""Ranges in words."""

from yarddial.yard.frequency import format_bound


def span_text(low_hz: float, high_hz: float) -> str:
    """A range as people say it."""
    return f"{format_bound(low_hz)} to {format_bound(high_hz)}"


def outside(name: str, in_hz: float, low_hz: float, high_hz: float) -> str:
    """Why something does not take a frequency, or an empty text."""
    return "" if low_hz <= in_hz <= high_hz else f"{name} takes {span_text(low_hz, high_hz)}"
