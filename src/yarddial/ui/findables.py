"""Everything that the finder knows: stations, bands, parts, routes, places and commands."""

from collections.abc import Callable
from functools import partial
from typing import Protocol

from yarddial.session.session import Session
from yarddial.ui.finding_fixes import FindingFixes
from yarddial.ui.widgets.finder import Findable
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_bound, format_frequency, parse_frequency


class Commands(Protocol):
    """What the window does; it is one."""

    session: Session
    fixes: FindingFixes

    def go(self, name: str) -> None:
        """Open a place."""
        ...

    def open_part(self, name: str) -> None:
        """Show a part on Bench."""
        ...

    def measure(self) -> None:
        """Measure the station at the dial."""
        ...

    def show_card(self) -> None:
        """The settings card."""
        ...

    def write_note(self) -> None:
        """Go to the log's note."""
        ...

    def change_theme(self) -> None:
        """Day to night and back."""
        ...

    def show_keys(self) -> None:
        """The list of keys."""
        ...

    def show_glossary(self) -> None:
        """The words used."""
        ...


def findables(window: Commands, places: list[str]) -> list[Findable]:
    """All things to go to, the yard's own first."""
    session, desk = window.session, window.session.desk
    station = desk.station
    things = [
        Findable("known station", f"{r.name} {format_frequency(r.frequency_hz)}", partial(desk.dial, r.frequency_hz))
        for r in station.references
    ]
    things += [Findable("part", part.name, partial(window.open_part, part.name)) for part in station.parts]
    things += [Findable("route", route.name, partial(desk.choose_route, route.name)) for route in station.routes]
    things += [Findable("place", name, partial(window.go, name)) for name in places]
    things += [
        Findable("band", f"{band.name} {format_bound(band.low_hz)}", partial(desk.dial, band.low_hz))
        for band in station.bands
    ]
    commands = (
        ("start or stop the receiver", session.toggle_receiver),
        ("measure here", window.measure),
        ("apply the correction", session.calibration.apply),
        ("settings card", window.show_card),
        ("write a note", window.write_note),
        ("test the span for ghosts", partial(_at, window, "Ghosts", session.span_test.test)),
        ("scan all bands for strong signals", partial(_at, window, "Ghosts", session.strong.scan)),
        ("prove all bands", partial(_at, window, "Bands", session.band_run.start)),
        ("measure afresh: leave out what was measured so far", session.calibration.forget),
        ("choose the receiver: driver, what is plugged in", window.fixes.choose_receiver),
        ("known stations: add, take out, read from a file", window.fixes.show_known_stations),
        ("what have you got: begin from the box", window.fixes.begin_from_the_box),
        ("undo", session.undo),
        ("redo", session.redo),
        ("day or night", window.change_theme),
        ("keys", window.show_keys),
        ("words explained", window.show_glossary),
    )
    return things + [Findable("command", name, act) for name, act in commands]


def _at(window: Commands, place: str, act: Callable[[], None]) -> None:
    """Go where it is seen, then do it."""
    window.go(place)
    act()


def dialled(window: Commands, text: str) -> Findable | None:
    """A text that is a frequency dials it."""
    try:
        hertz = parse_frequency(text, "MHz")
    except BadFrequency:
        return None
    return Findable("dial it", format_frequency(hertz), partial(window.session.desk.dial, hertz)) if hertz > 0 else None
