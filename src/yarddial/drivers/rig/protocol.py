"""What is known of a transceiver, what is asked of it, and whoever can ask."""

from typing import Literal, Protocol

import msgspec

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


class RigRefused(YardDialError):
    """It answered that it will not; the sentence says what was asked."""


class RigSilent(YardDialError):
    """No answer in time, or one that cannot be understood; the link may be there still."""


class RigGone(YardDialError):
    """The link is closed: the daemon ended, the line was pulled."""


class RigLink(Protocol):
    """Asks one transceiver; each call answers or raises within `patience_s`."""

    def read(self) -> RigState:
        """What it is tuned to now."""
        ...

    def set_frequency(self, hertz: float) -> None:
        """Tune it, to its own step."""
        ...

    def set_mode(self, mode: str, passband_hz: float | None = None) -> None:
        """Another mode, in its own words."""
        ...

    def close(self) -> None:
        """Let go."""
        ...


def mode_key_of(rig_mode: str) -> str | None:
    """Our mode for a transceiver's; None for one we do not know."""
    plain = rig_mode.upper()
    return next((key for key, names in RIG_MODES.items() if plain in names), None)


def sideband_of(rig_mode: str) -> Sideband:
    """Which side of the carrier it hears."""
    plain = rig_mode.upper()
    if plain.startswith(("LSB", "PKTLSB")) or plain == "RTTY":
        return "lower"
    return "upper" if plain.startswith(("USB", "PKTUSB", "CW", "RTTYR")) else "both"
