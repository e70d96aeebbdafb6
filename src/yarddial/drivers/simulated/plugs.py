"""Parts that a person inserts behind the antenna of a simulated receiver to try them: a filter, an attenuator."""

from math import log10

import msgspec

from yarddial.yard.errors import DeviceNotFound, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.parts.two_port import FilterKind

# Pass-band loss and maximum rejection of a filter.
COSTS_DB, LEAKS_DB = 0.5, 75.0
FORMS = (
    "'ladder:low-pass:40M:5' and 'ladder:high-pass:2M:5' (edge, poles), 'ladder:notch:120M:128M:40' (edges, dB), "
    "'ladder:attenuator:10' (dB)"
)


class Plug(msgspec.Struct, frozen=True):
    """An inserted part: Butterworth filter, notch or attenuator."""

    port: str
    what: FilterKind
    low_hz: float = 0.0
    high_hz: float = 0.0
    poles: int = 0
    takes_db: float = 0.0

    def passed_db(self, hertz: float) -> float:
        """Gain at a frequency, 0 or less: -10 log10(1 + (f / f_0)^2n) for a low-pass filter, and so on."""
        if self.what == "attenuator":
            return -self.takes_db
        if self.what == "notch":
            return -self.takes_db if self.low_hz <= hertz <= self.high_hz else -COSTS_DB
        away = max(hertz, 1.0)
        share = away / self.high_hz if self.what == "low-pass" else self.low_hz / away
        # Sum in logarithms: far beyond the edge the power overflows.
        beyond_db = 20 * self.poles * log10(share)
        loss_db = beyond_db if beyond_db > LEAKS_DB else 10 * log10(1 + 10 ** (beyond_db / 10))
        return -min(loss_db, LEAKS_DB) - COSTS_DB


def with_query(address: str, query: str) -> str:
    """Set `name=value` in the query of an address."""
    base, _, rest = address.partition("?")
    name = query.partition("=")[0]
    other_pieces = [piece for piece in rest.split("&") if piece and piece.partition("=")[0] != name]
    return f"{base}?{'&'.join([*other_pieces, query])}"


def with_plug(address: str, plug: str) -> str:
    """Add an inserted part to an address."""
    there = dict(piece.partition("=")[::2] for piece in address.partition("?")[2].split("&")).get("plug", "")
    return with_query(address, f"plug={there},{plug}" if there else f"plug={plug}")


def parse_plugs(text: str, ports: tuple[str, ...]) -> tuple[Plug, ...]:
    """Parse the value of `plug=` in an address, several separated by commas; raises DeviceNotFound in one sentence."""
    return tuple(_parsed(piece, ports) for piece in text.split(",") if piece)


def _parsed(text: str, ports: tuple[str, ...]) -> Plug:
    port, _, rest = text.partition(":")
    what, *values = rest.split(":")
    try:
        if port in ports:
            if what == "attenuator" and len(values) == 1:
                return Plug(port, "attenuator", takes_db=_decibels(values[0]))
            if what == "notch" and len(values) == 3:
                low_hz, high_hz = parse_frequency(values[0]), parse_frequency(values[1])
                return Plug(port, "notch", low_hz, high_hz, takes_db=_decibels(values[2]))
            if what in ("low-pass", "high-pass") and len(values) == 2 and 1 <= int(values[1]) <= 12:
                edge_hz = parse_frequency(values[0])
                if edge_hz > 0:
                    return Plug(port, what, edge_hz, edge_hz, int(values[1]))  # type: ignore[arg-type]
    except (ValueError, YardDialError) as error:
        raise DeviceNotFound(f"plug= in '{text}': {error}; write {FORMS}") from error
    raise DeviceNotFound(f"nothing can be plugged in as '{text}': before {' or '.join(ports)}, such as {FORMS}")


def _decibels(text: str) -> float:
    value = float(text)
    if not 0 <= value <= 100:
        raise ValueError(f"{text} dB is none that a part takes")
    return value
