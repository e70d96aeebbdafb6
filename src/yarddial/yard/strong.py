"""Strong signals, from which spurious signals are calculated."""

import msgspec


class Strong(msgspec.Struct, frozen=True):
    """A strong signal: its true frequency, and its level at the antenna's socket.

    width_hz : its bandwidth; products are wider by their order. antenna : name of the antenna that delivers it; empty
    where unknown.
    """

    frequency_hz: float
    level_dbm: float
    name: str = ""
    width_hz: float = 0.0
    antenna: str = ""
