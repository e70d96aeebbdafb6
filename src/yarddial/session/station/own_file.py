"""The station's file for the person: recovered edits, another program's version, copies."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.session.listeners import Listener, Listeners
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import NotWritten
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported after the first paint.
    from collections.abc import Mapping
    from pathlib import Path

    from yarddial.session.station.station_saver import StationSaver
    from yarddial.session.station.versions import Side


class OwnFile:
    """The file of a session; a yard without one has no saver.

    recovered : edits that could not be saved last time, until they are taken.
    is_temporary : the file goes with the program, as the demo yard's does.
    """

    def __init__(
        self, desk: Desk, saver: "StationSaver | None", recovered: Station | None, *, is_temporary: bool = False
    ) -> None:
        self._desk, self.is_temporary = desk, is_temporary
        self.saver, self.recovered = saver, recovered
        self._changed = Listeners()
        self._seen: object = None

    def on_file_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for another program's version, and for other windows."""
        return self._changed.add(listener)

    def poll(self) -> None:
        """Report another program's version."""
        if self.saver is not None and self._seen != (state := (self.saver.conflict, self.saver.others)):
            self._seen = state
            self._changed.tell()

    def recover(self) -> None:
        """Apply the edits that could not be saved last time; undoable."""
        recovered, self.recovered = self.recovered, None
        if recovered is not None:
            if self.saver is not None:
                recovered = self.saver.with_kept(recovered, self._desk.station)
            self._desk.edit("recovered edits", recovered)

    def merge_versions(self, chosen: "Mapping[tuple[str, str], Side]") -> None:
        """Merge another program's version of the station file with the present one; undoable.

        Raises BadStation where the result is inconsistent.
        """
        if self.saver is not None:
            merged = self.saver.merged(self._desk.station, chosen)
            self._desk.edit("both versions of the file", merged)
            self._desk.save_anew()

    def write_read_only(self) -> None:
        """Write the station file though it is read-only."""
        if self.saver is not None:
            self.saver.write_read_only()
            self._desk.save_anew()

    def save_elsewhere(self, path: "Path") -> "Path":
        """Write a copy of the station to another file; raises NotWritten."""
        if self.saver is None:
            raise NotWritten("this yard belongs to no file: begin one of your own")
        return self.saver.copy_to(path, self._desk.station)

    def has_unkept_edits(self) -> bool:
        """Return True when edits are in no file that outlives a restart of the computer."""
        failure = self._desk.save_failure
        return (
            failure is not None
            and not failure.is_kept
            and self.saver is not None
            and self.saver.has_edits(self._desk.station)
        )

    def close(self) -> None:
        """Close the file."""
        if self.saver is not None:
            self.saver.close()
