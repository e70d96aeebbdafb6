"""Changes to parts and routes by the person, one method each, undoable like any edit."""

from pathlib import Path

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.activity import Declaration
from yarddial.session.station.desk import Desk
from yarddial.yard import clock, editing
from yarddial.yard.errors import BadStation
from yarddial.yard.part_values import PartValue, values_of
from yarddial.yard.parts import Feed, Need, Origin, Part, Value, converters_of, with_converter
from yarddial.yard.parts.supply import USB_MA, USB_V, WALL_MA, FeedSource
from yarddial.yard.parts.transceiver import Output
from yarddial.yard.plain_text import one_line, shown
from yarddial.yard.station import Station

# Decimals of an oscillator that is entered: a tenth of a hertz.
LO_DECIMALS = 1


class Building:
    """Edits of the desk's station. Each raises a YardDialError in one sentence, nothing changed, when refused."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk

    def add(self, part: Part, index: int | None = None) -> str:
        """Insert a new part into the active route and return its name."""
        before = {p.name for p in self._station.parts}
        self._edit(f"add {part.name}", editing.put_in(self._station, part, self._station.route, index))
        return next(p.name for p in self._station.parts if p.name not in before)

    def place(self, part_name: str, index: int | None = None) -> None:
        """Insert a part of the yard into the active route."""
        self._edit(f"place {part_name}", editing.place(self._station, part_name, self._station.route, index))

    def take_out(self, part_name: str) -> None:
        """Remove a part from the active route; it stays in the yard."""
        self._edit(f"take out {part_name}", editing.take_out(self._station, part_name, self._station.route))

    def move(self, part_name: str, step: int) -> None:
        """Move a part along the active route."""
        self._edit(f"move {part_name}", editing.move(self._station, part_name, self._station.route, step))

    def discard(self, part_name: str) -> None:
        """Remove a part from the yard."""
        self._edit(f"discard {part_name}", editing.discard(self._station, part_name))

    def copy(self, part_name: str) -> str:
        """Copy a part and return the copy's name."""
        station, name = editing.copy_part(self._station, part_name)
        self._edit(f"copy {part_name}", station)
        return name

    def rename(self, old: str, new: str) -> None:
        """Rename a part."""
        if old != new.strip():
            self._edit(f"rename {old}", editing.rename_part(self._station, old, one_line(new)))

    def new_route(self, like: str = "") -> None:
        """Create a route, or a copy of one."""
        self._edit("new route", editing.new_route(self._station, like))

    def begin_another_antenna(self, part_name: str) -> None:
        """Begin a route from a part to the receiver, without an antenna yet, and make it the active one."""
        station = editing.new_route(self._station)
        route = next((route for route in station.routes if part_name in route.parts), None)
        if route is None:
            raise BadStation(f"{part_name} is on no route yet: put it into one first")
        names = route.parts[route.parts.index(part_name) :]
        taps = tuple(tap for tap in route.taps if tap.name in names)
        begun = msgspec.structs.replace(station.route_named(station.route), parts=names, port=route.port, taps=taps)
        routes = tuple(begun if other.name == begun.name else other for other in station.routes)
        self._edit("another antenna", msgspec.structs.replace(station, routes=routes))

    def feed_by_lead(self, part_name: str, source: FeedSource) -> None:
        """Name what a part's own supply lead hangs on: the volts that it needs, or those of USB."""
        part = self._station.part(part_name)
        need = getattr(part, "need", None)
        if not isinstance(need, Need) or need.by != "lead":
            raise BadStation(f"{part_name} has no supply lead of its own")
        volts = USB_V if source in ("USB", "hub") else round((need.low_v + need.high_v) / 2, 1)
        lead = Feed(volts, USB_MA if source in ("USB", "hub") else WALL_MA, on=True, source=source)
        fed = msgspec.structs.replace(part, need=msgspec.structs.replace(need, lead=lead))
        self._edit("supply", self._station.with_part(fed))

    def remove_route(self, name: str) -> None:
        """Remove a route."""
        self._edit(f"remove route {name}", editing.remove_route(self._station, name))

    def rename_route(self, old: str, new: str) -> None:
        """Rename a route."""
        if old != new.strip():
            self._edit(f"rename route {old}", editing.rename_route(self._station, old, one_line(new)))

    def prefer(self, name: str, preferred: bool) -> None:
        """Make a route the first choice wherever it reaches, or withdraw that."""
        self._edit(f"prefer {name}", editing.prefer_route(self._station, name, preferred))

    def choose_port(self, port: str) -> None:
        """Connect the active route to another port."""
        self._edit("choose port", editing.choose_port(self._station, self._station.route, port))

    def choose_tap(self, part_name: str, output: Output) -> None:
        """Connect the active route to another output of a transceiver."""
        self._edit("choose output", editing.choose_tap(self._station, self._station.route, part_name, output))

    def set_value(self, part_name: str, key: str, text: str) -> None:
        """Set one value of a part from its text."""
        _, value = self._value(part_name, key)
        self._edit(f"{part_name}: {value.label}", self._station.with_part(value.with_text(shown(text), today())))

    def set_origin(self, part_name: str, key: str, origin: Origin) -> None:
        """Set the origin of one value of a part."""
        _, value = self._value(part_name, key)
        if value.with_origin is None:
            raise BadStation(f"where '{value.label}' comes from follows from what was measured: it cannot be typed")
        self._edit(f"{part_name}: origin of {value.label}", self._station.with_part(value.with_origin(origin)))

    def mend(self, finding: BenchFinding) -> None:
        """Apply the remedy of a finding."""
        if finding.mend is not None:
            self._edit(finding.mend_label.lower(), finding.mend(self._station))

    def acknowledge(self, finding: BenchFinding, note: str) -> None:
        """Record that a finding has been seen; a reason is required."""
        if not note.strip():
            raise BadStation("write in a few words what was done about it: that is what the note is for")
        station = editing.acknowledge(self._station, finding.key, finding.what, note, today())
        self._edit("acknowledge", station)

    def take_back(self, finding: BenchFinding) -> None:
        """Withdraw the acknowledgement of a finding."""
        self._edit("take back", editing.take_back_acknowledgement(self._station, finding.key))

    def use_oscillator(self, converter_name: str, stated_hz: float, lo_hz: float, sigma_hz: float) -> None:
        """Store and enter a measured oscillator; the stated value that matches becomes the converter's nominal one."""
        part, converter = next(
            (part, c) for part in self._station.parts for c in converters_of(part) if c.name == converter_name
        )
        before = converter.lo_hz.unmeasured()
        stated = before if before.value == stated_hz else Value(stated_hz, before.sigma, "stated", today(), "it fits")
        measured = msgspec.structs.replace(
            converter,
            lo_hz=stated.measured(lo_hz, sigma_hz, today(), "from a known station or its leak"),
            entered_lo_hz=round(lo_hz, LO_DECIMALS),
        )
        self._desk.edit(
            f"{converter_name}: oscillator", self._station.with_part(with_converter(part, measured)), "correction"
        )

    def import_part(self, path: Path, index: int | None = None) -> str:
        """Insert a part from a file into the active route: `*.part.json`, or a filter's `*.s2p`."""
        from yarddial.records.part_file import load_part

        return self.add(load_part(path), index)

    def export_part(self, part_name: str, path: Path) -> None:
        """Write a part to a file of its own."""
        from yarddial.records.part_file import save_part

        save_part(path, self._station.part(part_name))

    @property
    def _station(self) -> Station:
        return self._desk.station

    def _value(self, part_name: str, key: str) -> tuple[Part, PartValue]:
        part = self._station.part(part_name)
        for value in values_of(part):
            if value.key == key:
                return part, value
        raise BadStation(f"{part_name} has no value '{key}': open it again")

    def _edit(self, label: str, station: Station) -> None:
        self._desk.edit(label, station)


def today() -> str:
    """Today's date, for the origin of a value."""
    return clock.today()


DECLARATION = Declaration(make=lambda of: Building(of.desk))
