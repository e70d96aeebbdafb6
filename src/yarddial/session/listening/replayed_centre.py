"""Meaning of a recording's stated centre: the dial's frequency, or the receiver's behind a converter."""

from typing import Literal

from yarddial.yard.errors import CentreUnclear
from yarddial.yard.frequency import format_frequency
from yarddial.yard.resolved_route import ResolvedRoute

CentreAt = Literal["dial", "receiver"]


def whose_centre(route: ResolvedRoute, centre_hz: float, name: str) -> CentreAt:
    """Decide whether a recording's centre is of the dial or the receiver; raises CentreUnclear when both fit."""
    as_dial_hz = route.dial_of(centre_hz, route.dial_hz)
    can_be_dial = not route.why_not(centre_hz)
    can_be_receiver = not route.receiver.why_not(centre_hz, route.port) and not route.why_not(as_dial_hz)
    if can_be_dial and can_be_receiver:
        raise CentreUnclear(
            f"{name} states {format_frequency(centre_hz)} as its centre, and over {route.name} that may be what the "
            f"dial showed or what {route.receiver.name} was tuned to: say which",
            name,
        )
    return "dial" if can_be_dial else "receiver"
