"""A table of leads and sockets, and what the stick at its end receives: kept apart from the program.

Each part but the stick has one lead; each converter and the stick have one socket. `socket[part]` names the part whose
lead is in it. An antenna hears its own stations; a converter adds its oscillator. What the stick receives is found by
following the leads back from its socket.
"""

from dataclasses import dataclass, field


@dataclass
class PlugTable:
    """stations_hz : of each antenna. lo_hz : of each converter. socket : what is plugged into what."""

    stations_hz: dict[str, tuple[float, ...]]
    lo_hz: dict[str, float]
    socket: dict[str, str] = field(default_factory=dict)

    def plug(self, lead: str, into: str) -> None:
        """Put a lead into a socket: it leaves the one where it was, and what was in this one comes out."""
        self.socket = {key: value for key, value in self.socket.items() if value != lead}
        self.socket[into] = lead

    def chain(self) -> tuple[str, ...]:
        """Parts in front of the stick, the one next to it first."""
        found: list[str] = []
        at = "Stick"
        while at in self.socket and self.socket[at] not in found:
            at = self.socket[at]
            found.append(at)
        return tuple(found)

    def received_hz(self) -> tuple[float, ...]:
        """Frequencies at the stick's socket."""
        chain = self.chain()
        if not chain or chain[-1] not in self.stations_hz:
            return ()
        shift_hz = sum(self.lo_hz[name] for name in chain[:-1])
        return tuple(hertz + shift_hz for hertz in self.stations_hz[chain[-1]])

    def is_joined(self, antenna_first: tuple[str, ...]) -> bool:
        """True when exactly this chain of parts is in front of the stick."""
        return self.chain() == tuple(reversed(antenna_first))

    def shows_the_same(self, antenna_first: tuple[str, ...], hertz: float) -> bool:
        """True when a chain would bring a station to a place where the stick receives one already."""
        shift_hz = sum(self.lo_hz.get(name, 0.0) for name in antenna_first)
        return any(abs(hertz + shift_hz - there) < 20e3 for there in self.received_hz())
