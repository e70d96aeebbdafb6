"""Well-known bands by region of the radio regulations; where a country differs, its own rules hold: check them."""

from collections.abc import Sequence
from typing import Literal

import msgspec

Region = Literal[1, 2, 3]
ALL: tuple[Region, ...] = (1, 2, 3)


class Band(msgspec.Struct, frozen=True, omit_defaults=True):
    """A named range, hertz: what it is for, where, and the mode mostly used there, by its key in `modes`."""

    name: str
    low_hz: float
    high_hz: float
    kind: str
    mode: str = ""
    regions: tuple[Region, ...] = ALL

    @property
    def middle_hz(self) -> float:
        """Half way."""
        return (self.low_hz + self.high_hz) / 2

    @property
    def mode_key(self) -> str:
        """The mode that its use asks for, by its kind where none is named."""
        if self.mode:
            return self.mode
        if self.kind == "broadcast":
            return "wfm" if self.low_hz > 60e6 else "am"
        if self.kind in ("marine", "land mobile", "licence-free"):
            return "nfm"
        if self.kind == "aeronautical":
            return "am"
        if self.kind in ("satellite", "standard frequency"):
            return "cw"
        return "ssb" if self.low_hz < 50e6 or self.low_hz > 1e9 else "nfm"


# Allocations of the Radio Regulations, article 5, to the services that hobbyists receive, rounded to what is customary.
TABLE: tuple[Band, ...] = (
    Band("2200 m", 135.7e3, 137.8e3, "amateur", "cw"),
    Band("long wave", 148.5e3, 283.5e3, "broadcast", regions=(1,)),
    Band("630 m", 472e3, 479e3, "amateur", "cw"),
    Band("medium wave", 526.5e3, 1606.5e3, "broadcast", regions=(1, 3)),
    Band("medium wave", 525e3, 1705e3, "broadcast", regions=(2,)),
    Band("160 m", 1.81e6, 2.0e6, "amateur", regions=(1,)),
    Band("160 m", 1.8e6, 2.0e6, "amateur", regions=(2, 3)),
    Band("marine 2 MHz", 2.1735e6, 2.1905e6, "marine", "ssb"),
    Band("2.5 MHz standard", 2.498e6, 2.502e6, "standard frequency"),
    Band("80 m", 3.5e6, 3.8e6, "amateur", regions=(1,)),
    Band("80 m", 3.5e6, 4.0e6, "amateur", regions=(2,)),
    Band("80 m", 3.5e6, 3.9e6, "amateur", regions=(3,)),
    Band("5 MHz standard", 4.995e6, 5.005e6, "standard frequency"),
    Band("60 m", 5.3515e6, 5.3665e6, "amateur"),
    Band("49 m", 5.9e6, 6.2e6, "broadcast"),
    Band("40 m", 7.0e6, 7.2e6, "amateur", regions=(1, 3)),
    Band("40 m", 7.0e6, 7.3e6, "amateur", regions=(2,)),
    Band("41 m", 7.2e6, 7.45e6, "broadcast", regions=(1, 3)),
    Band("41 m", 7.3e6, 7.4e6, "broadcast", regions=(2,)),
    Band("31 m", 9.4e6, 9.9e6, "broadcast"),
    Band("10 MHz standard", 9.995e6, 10.005e6, "standard frequency"),
    Band("30 m", 10.1e6, 10.15e6, "amateur", "cw"),
    Band("25 m", 11.6e6, 12.1e6, "broadcast"),
    Band("20 m", 14.0e6, 14.35e6, "amateur"),
    Band("15 MHz standard", 14.99e6, 15.01e6, "standard frequency"),
    Band("19 m", 15.1e6, 15.8e6, "broadcast"),
    Band("17 m", 18.068e6, 18.168e6, "amateur"),
    Band("15 m", 21.0e6, 21.45e6, "amateur"),
    Band("12 m", 24.89e6, 24.99e6, "amateur"),
    Band("10 m", 28.0e6, 29.7e6, "amateur"),
    Band("6 m", 50e6, 52e6, "amateur", "ssb", regions=(1,)),
    Band("6 m", 50e6, 54e6, "amateur", "ssb", regions=(2, 3)),
    Band("FM broadcast", 87.5e6, 108e6, "broadcast", regions=(1,)),
    Band("FM broadcast", 88e6, 108e6, "broadcast", regions=(2,)),
    Band("FM broadcast", 87e6, 108e6, "broadcast", regions=(3,)),
    Band("airband", 117.975e6, 137e6, "aeronautical"),
    Band("weather satellites", 137e6, 138e6, "satellite", "nfm"),
    Band("2 m", 144e6, 146e6, "amateur", regions=(1,)),
    Band("2 m", 144e6, 148e6, "amateur", regions=(2, 3)),
    Band("marine VHF", 156e6, 162.05e6, "marine"),
    Band("70 cm", 430e6, 440e6, "amateur", regions=(1, 3)),
    Band("70 cm", 430e6, 450e6, "amateur", regions=(2,)),
    Band("433 MHz", 433.05e6, 434.79e6, "licence-free", regions=(1,)),
    Band("900 MHz", 902e6, 928e6, "licence-free", regions=(2,)),
    Band("23 cm", 1240e6, 1300e6, "amateur"),
    Band("3 cm", 10e9, 10.5e9, "amateur"),
)


def bands_of(region: Region) -> tuple[Band, ...]:
    """The bands of a region, rising."""
    return tuple(band for band in TABLE if region in band.regions)


# Where nothing else is chosen.
BANDS = bands_of(1)


def bands_within(low_hz: float, high_hz: float, bands: Sequence[Band]) -> tuple[Band, ...]:
    """Those of some bands, as of a station's, that reach into a range."""
    return tuple(band for band in bands if band.low_hz < high_hz and band.high_hz > low_hz)
