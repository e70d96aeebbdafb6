"""State of a transceiver, orders to it, and the link that carries them."""

from typing import Literal, Protocol

import msgspec

from yarddial.drivers.rig.key_handle import KeyHandle
from yarddial.yard.errors import YardDialError

# The program's own modes by the names that transceivers go by; the first of each is what is set.
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
# How long an answer is waited for.
PATIENCE_S = 1.0


class RigState(msgspec.Struct, frozen=True):
    """What a transceiver says of itself, hertz.

    frequency_hz : what its display shows. mode : in its own words, capitals. passband_hz : None where it does not say.
    transmitting : None where it cannot tell, which is not the same as False.
    transmit_hz : where it would transmit when split, None when not split or not told.
    """

    frequency_hz: float
    mode: str = ""
    passband_hz: float | None = None
    transmitting: bool | None = None
    transmit_hz: float | None = None


class RigOrder(msgspec.Struct, frozen=True, kw_only=True):
    """Something asked of it; `number` comes back with the answer."""

    number: int = 0


class ReadRig(RigOrder, frozen=True):
    """Say what you are tuned to."""


class SetRigFrequency(RigOrder, frozen=True):
    """Tune there, to your own step."""

    hertz: float


class SetRigMode(RigOrder, frozen=True):
    """Another mode, in its own words; passband_hz None for the usual one."""

    mode: str
    passband_hz: float | None = None


class SetRigSplit(RigOrder, frozen=True):
    """Transmit elsewhere; None ends the split."""

    transmit_hz: float | None


class RigAnswer(msgspec.Struct, frozen=True):
    """What became of an order: a state for a reading, a failure where there is one; both None where it was done.

    asked_s : when it was asked, `time.monotonic`.
    """

    order: RigOrder
    asked_s: float
    state: RigState | None = None
    failure: YardDialError | None = None


class RigRefused(YardDialError):
    """It answered that it will not; the sentence says what was asked."""


class RigSilent(YardDialError):
    """No answer in time, or an unintelligible one; the link may still exist."""


class RigGone(YardDialError):
    """The link is closed: the daemon ended, the line was pulled."""


class RigLink(Protocol):
    """Asks one transceiver. Orders are done in the order in which they are begun; it belongs to one thread."""

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
    """One order from end to end; raises what became of it."""
    link.begin(order)
    while True:
        for answer in link.answers(PATIENCE_S):
            if answer.order is order:
                if answer.failure is not None:
                    raise answer.failure
                return answer.state


def mode_key_of(rig_mode: str) -> str | None:
    """Our mode for a transceiver's; None for one we do not know."""
    plain = rig_mode.upper()
    return next((key for key, names in RIG_MODES.items() if plain in names), None)


def sideband_of(rig_mode: str) -> Sideband:
    """Which side of the place on its display it hears; CW is heard on the upper side, its reverse on the lower."""
    plain = rig_mode.upper()
    if plain in ("LSB", "PKTLSB", "LSB-D", "RTTY", "CWR"):
        return "lower"
    return "upper" if plain in ("USB", "PKTUSB", "USB-D", "RTTYR", "CW") else "both"
