"""Tuning: what the receiver was asked to do, together with what it acknowledged."""

from typing import Literal

import msgspec

from yarddial.drivers.protocol import ActualSettings, RequestedSettings
from yarddial.yard.level import GainsDb

# off : nobody transmits. held : every gain is at its minimum, as acknowledged. no gain : none can be lowered. failed :
# the driver was told to lower them and has not.
GuardState = Literal["off", "held", "no gain", "failed"]


class Tuning(msgspec.Struct, frozen=True):
    """One state of the receiver, acknowledged by its driver.

    id : number of the request to tune that it answers; a request for samples names it, and is refused on any other.
    requested, actual : settings, in hertz and decibels as the receiver counts them.
    middle_hz : middle of the slice that is cut out of the span, as the receiver counts.
    slice_rate_hz : complex sample rate of that slice.
    route : name of the route that it was asked for; empty where it belongs to none.
    guard : whether every gain is at its minimum for the sake of a transmission, whatever was requested.
    guard_trouble : why it is not, a sentence; empty where it is, or need not be.
    """

    id: int
    requested: RequestedSettings
    actual: ActualSettings
    middle_hz: float
    slice_rate_hz: float
    route: str = ""
    guard: GuardState = "off"
    guard_trouble: str = ""

    @property
    def is_guarded(self) -> bool:
        """True while every gain is at its minimum, as the driver acknowledged."""
        return self.guard == "held"

    @property
    def rate_hz(self) -> float:
        """Complex sample rate of the whole span."""
        return self.actual.rate_hz

    @property
    def centre_hz(self) -> float:
        """Centre of the whole span, as the receiver counts."""
        return self.actual.centre_hz

    def gains_among(self, gains_db: GainsDb) -> GainsDb:
        """Replace requested gains by acknowledged ones; stages that the driver does not report keep the request."""
        actual_db = dict(self.actual.gains_db)
        return tuple((name, actual_db.get(name, gain_db)) for name, gain_db in gains_db)


class Safeguards(msgspec.Struct, frozen=True):
    """Safeguards of the engine: they hold at every tuning and need no lease.

    is_guarded : every gain at its minimum, automatic gain off. is_muted : no audio leaves the engine.
    feeds : ports that a person allowed to feed current to the line; no other one is switched on.
    """

    is_guarded: bool = False
    is_muted: bool = False
    feeds: frozenset[str] = frozenset()
