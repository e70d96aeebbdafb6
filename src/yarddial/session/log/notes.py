"""Log entries by a person, and entries for cards and undone corrections."""

from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedEntered, LoggedPlace
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.station.desk import Desk, Edit
from yarddial.yard.frequency import format_frequency


class Notes:
    """Writes entries that no activity makes."""

    def __init__(self, desk: Desk, log: LogKeeper) -> None:
        self._desk, self._log = desk, log

    def add(self, text: str) -> None:
        """Log a note with the dial's position."""
        if text.strip():
            station = self._desk.station
            place = LoggedPlace(station.dial_hz, station.mode)
            route = self._desk.route
            self._log.add(Entry(station=station.name, kind="note", route=route.name, text=text.strip(), data=place))

    def card(self, route: str, dial_hz: float, path: str) -> None:
        """Log that a settings card was handed over, and for what."""
        text = f"Settings card for {format_frequency(dial_hz)} over {route}, saved as {path}"
        data = LoggedPlace(dial_hz, file=path)
        self._log.add(Entry(station=self._desk.station.name, kind="card", route=route, text=text, data=data))

    def step(self, edit: Edit | None, verb: str) -> str:
        """Log that a correction was undone or redone; return the edit's label, empty for none."""
        if edit is None:
            return ""
        if edit.kind == "correction":
            entered = {part.name: value for part in self._desk.station.parts if (value := _entered(part)) is not None}
            text = f"{verb}: {edit.label}"
            self._log.add(Entry(station=self._desk.station.name, kind="undo", text=text, data=LoggedEntered(entered)))
        return edit.label


def _entered(part: object) -> float | None:
    value = getattr(part, "entered_ppm", getattr(part, "entered_lo_hz", None))
    return None if value is None else float(value)
