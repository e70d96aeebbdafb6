"""Ferrite isolators: they pass one band in one direction."""

import msgspec

from yarddial.yard.parts.sockets import Socket
from yarddial.yard.parts.spans import outside
from yarddial.yard.parts.values import Origins, Value


class Isolator(msgspec.Struct, frozen=True, omit_defaults=True, tag="isolator"):
    """Something in the line that passes signals from the antenna to the receiver, and not back.

    gain_db : forward, negative, as it is a loss. isolation_db : what it takes off on the way back, positive: of a
    converter's oscillator that leaks towards the antenna, or of a mismatch's reflection.
    low_hz, high_hz : the band for which both hold. largest_dbm : what it bears at its input.
    """

    name: str
    gain_db: Value
    low_hz: float
    high_hz: float
    isolation_db: Value
    note: str = ""
    largest_dbm: Value | None = None
    input: Socket = Socket()
    output: Socket = Socket()
    origins: Origins = {}

    def why_not(self, in_hz: float) -> str:
        """Reason why it does not pass a frequency; empty when it does."""
        return outside(self.name, in_hz, self.low_hz, self.high_hz)

    def converter_at(self, in_hz: float) -> None:
        """None: it converts nothing."""
        return

    def edges_hz(self) -> tuple[float, ...]:
        """Frequencies at the ends of its band."""
        return (self.low_hz, self.high_hz)

    def gain_at_db(self, in_hz: float) -> float:
        """Forward gain at a frequency, dB."""
        return self.gain_db.value
