"""Signals known to be strong: what ghosts are made of."""

import msgspec


class Strong(msgspec.Struct, frozen=True):
    """A signal known to be strong: its true frequency on the air, and its level where the antenna hands it over.

    width_hz : that it takes up; products of it take up as often as much. antenna : that hands it over, by its name;
    empty where that is not told.
    """

    frequency_hz: float
    level_dbm: float
    name: str = ""
    width_hz: float = 0.0
    antenna: str = ""
