"""Countries: their region of the radio regulations, mains frequency, and pre-emphasis of FM broadcasting.

Regions: ITU Radio Regulations, nos. 5.2 to 5.9. Mains: IEC, "World plugs". Pre-emphasis: ITU-R BS.450. Local rules and
the person's own knowledge take precedence; every value can be set without a country.
"""

import csv
from functools import cache
from pathlib import Path

import msgspec

from yarddial.yard.bands import Region


class Country(msgspec.Struct, frozen=True):
    """One country. mains_hz : 0 where both 50 and 60 Hz are in use. deemphasis_us : 50 or 75."""

    name: str
    region: Region
    mains_hz: float
    deemphasis_us: float

    @property
    def sentence(self) -> str:
        """What follows from the country."""
        mains = f"mains of {self.mains_hz:g} Hz" if self.mains_hz else "mains of 50 or 60 Hz"
        return f"Region {self.region}, {mains}, FM broadcasting with {self.deemphasis_us:g} \u00b5s."


@cache
def countries() -> tuple[Country, ...]:
    """All countries of the shipped table, by name."""
    with Path(__file__).with_name("countries.csv").open(encoding="utf-8", newline="") as table:
        return tuple(msgspec.convert(row, Country, strict=False) for row in csv.DictReader(table))


def country_named(name: str) -> Country | None:
    """Country by its name, however capitalised; None for an unknown one."""
    wanted = name.strip().casefold()
    return next((country for country in countries() if country.name.casefold() == wanted), None)
