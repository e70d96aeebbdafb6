"""State of a transceiver, orders to it, and the link that carries them."""

from typing import Literal, Protocol

import msgspec

from yarddial.drivers.rig.key_handle import KeyHandle
from yarddial.yard.errors import YardDialError

# Program modes by the names used on transceivers; the first of each is the one that is set.
RIG_MODES: dict[str, tuple[str, ...]] = {
    "ssb": ("USB", "LSB"),
    "am": ("AM", "AMS", "SAM", "AMN"),
    "cw": ("CW", "CWR"),
    "nfm": ("FM", "FMN", "PKTFM"),
    "wfm": ("WFM", "WFMS"),
    "fsk": ("RTTY", "RTTYR"),
    "data": ("PKTUSB", "PKTLSB", "USB-D", "LSB-D"),
}
Sideband = Literal["upper", "lower", "both"]
# Time-out of an answer.
PATIENCE_S = 1.0


class RigState(msgspec.Struct, frozen=True):
    """State reported by a transceiver, hertz.

    frequency_hz : shown on its display. mode : in its own words, capitals. passband_hz : None where not reported.
    transmitting : None where it cannot report it, which is not the same as False.
    transmit_hz : transmit frequency in split operation; None without split or where not reported.
    """

    frequency_hz: float
    mode: str = ""
    passband_hz: float | None = None
    transmitting: bool | None = None
    transmit_hz: float | None = None


class RigOrder(msgspec.Struct, frozen=True, kw_only=True):
    """An order; its answer carries the same `number`."""

    number: int = 0


class ReadRig(RigOrder, frozen=True):
    """Read the state."""


class SetRigFrequency(RigOrder, frozen=True):
    """Tune to a frequency, in the transceiver's own step."""

    hertz: float


class SetRigMode(RigOrder, frozen=True):
    """Set a mode, in the transceiver's words; passband_hz None for the usual one."""

    mode: str
    passband_hz: float | None = None


class SetRigSplit(RigOrder, frozen=True):
    """Transmit on another frequency; None ends split operation."""

    transmit_hz: float | None


class RigAnswer(msgspec.Struct, frozen=True):
    """Answer to an order: a state for a reading, or a failure; both None where it was done.

    asked_s : time of the question, `time.monotonic`.
    """

    order: RigOrder
    asked_s: float
    state: RigState | None = None
    failure: YardDialError | None = None


class RigRefused(YardDialError):
    """The transceiver refused; the sentence says what was asked."""


class RigSilent(YardDialError):
    """No answer in time, or an unintelligible one; the link may still work."""


class RigGone(YardDialError):
    """The link is closed: the daemon ended, or the cable was pulled."""


class RigLink(Protocol):
    """Link to one transceiver. It executes orders in sequence and belongs to one thread."""

    depth: int
    """So many orders may be under way at a time."""

    def begin(self, order: RigOrder) -> None:
        """Send an order; `answers` returns its answer. Raises RigGone."""
        ...

    def answers(self, wait_s: float) -> list[RigAnswer]:
        """Return arrived answers, waiting at most this long for the first; raises RigGone."""
        ...

    def open_key(self) -> KeyHandle:
        """Open the transmitter's key; raises RigRefused where the program cannot key it."""
        ...

    def close(self) -> None:
        """Close the link."""
        ...


def ask(link: RigLink, order: RigOrder) -> RigState | None:
    """Execute one order and wait for it; raises its failure."""
    link.begin(order)
    while True:
        for answer in link.answers(PATIENCE_S):
            if answer.order is order:
                if answer.failure is not None:
                    raise answer.failure
                return answer.state


def mode_key_of(rig_mode: str) -> str | None:
    """Program mode for a transceiver's; None for an unknown one."""
    plain = rig_mode.upper()
    return next((key for key, names in RIG_MODES.items() if plain in names), None)


def sideband_of(rig_mode: str) -> Sideband:
    """Side of the displayed frequency that it hears; CW is on the upper side, its reverse on the lower."""
    plain = rig_mode.upper()
    if plain in ("LSB", "PKTLSB", "LSB-D", "RTTY", "CWR"):
        return "lower"
    return "upper" if plain in ("USB", "PKTUSB", "USB-D", "RTTYR", "CW") else "both"
