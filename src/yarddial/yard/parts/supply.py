"""Direct-current supply: what a part needs, and what feeds it."""

from typing import Literal

import msgspec

# Origin of a feed, where stated.
FeedSource = Literal["", "wall plug", "USB", "hub", "battery"]
SOURCES: tuple[FeedSource, ...] = ("wall plug", "USB", "hub", "battery")


# What a USB socket gives (USB 2.0, section 7.2.1), and what a small wall plug does.
USB_V, USB_MA, WALL_MA = 5.0, 500.0, 1000.0


class Feed(msgspec.Struct, frozen=True, omit_defaults=True):
    """A source of direct current: volts, the most it gives in mA, whether it is on, and its tone, kHz (22 for LNBs).

    source : what it comes out of.
    """

    volts: float
    max_ma: float = msgspec.field(name="most_ma")
    on: bool = False
    tone_khz: float = 0.0
    source: FeedSource = ""


class Need(msgspec.Struct, frozen=True, omit_defaults=True):
    """Supply that a part needs, and how it is fed.

    by : `line` when it is fed through its output's coaxial line, `lead` when it has a supply lead of its own.
    lead : what the lead hangs on; unknown when None.
    """

    low_v: float
    high_v: float
    current_ma: float
    by: Literal["line", "lead"] = "lead"
    lead: Feed | None = None

    @property
    def text(self) -> str:
        """Supply need as people write it."""
        volts = f"{self.low_v:g}" if self.low_v == self.high_v else f"{self.low_v:g} to {self.high_v:g}"
        return f"{volts} V, {self.current_ma:g} mA" if self.current_ma else f"{volts} V, its current not stated"
