"""Whose frequency a recording from elsewhere states as its centre: the dial's, or the receiver's behind a converter."""

from typing import Literal

from yarddial.yard.errors import CentreUnclear
from yarddial.yard.frequency import format_frequency
from yarddial.yard.line import Line

CentreAt = Literal["dial", "receiver"]


def whose_centre(line: Line, centre_hz: float, name: str) -> CentreAt:
    """The one that it can be over a route; raises CentreUnclear where it can be either."""
    as_dial_hz = line.dial_of(centre_hz, line.dial_hz)
    can_be_dial = not line.why_not(centre_hz)
    can_be_receiver = not line.receiver.why_not(centre_hz, line.port) and not line.why_not(as_dial_hz)
    if can_be_dial and can_be_receiver:
        raise CentreUnclear(
            f"{name} states {format_frequency(centre_hz)} as its centre, and over {line.name} that may be what the "
            f"dial showed or what {line.receiver.name} was tuned to: say which",
            name,
        )
    return "dial" if can_be_dial else "receiver"
