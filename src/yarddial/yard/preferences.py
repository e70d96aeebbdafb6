"""Preferences of the person, independent of the yard: colours, lettering, number format, location."""

from typing import Literal

import msgspec

from yarddial.yard.bands import Region

LevelUnit = Literal["dBm", "S"]
Digits = Literal["grouped", "plain"]
Theme = Literal["day", "night"]


class Preferences(msgspec.Struct, frozen=True, kw_only=True):
    """All of them, each with what holds until it is changed.

    text_scale : lettering, 1 to 2. region, country : of a yard that is begun. digits : thousands apart by a thin space,
    or not. sound_device : by name, empty for the system's own choice. level_unit : first in Listen, once calibrated.
    locator : of the station, in the amateurs' grid (IARU locator, two, four or six signs); empty where not told.
    """

    theme: Theme = "day"
    text_scale: float = 1.0
    region: Region = 1
    country: str = ""
    digits: Digits = "grouped"
    sound_device: str = ""
    level_unit: LevelUnit = "dBm"
    locator: str = ""
