"""Ranges in words."""

from yarddial.yard.frequency import format_bound


def span_text(low_hz: float, high_hz: float) -> str:
    """Write a range."""
    return f"{format_bound(low_hz)} to {format_bound(high_hz)}"


def outside(name: str, in_hz: float, low_hz: float, high_hz: float) -> str:
    """Reason why a frequency is out of range; empty inside it."""
    return "" if low_hz <= in_hz <= high_hz else f"{name} takes {span_text(low_hz, high_hz)}"
