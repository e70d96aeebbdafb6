"""The station's file as a person deals with it: recovered edits, another program's version, copies."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.session.listeners import Listener, Listeners
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import NotWritten
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Not needed before the first paint.
    from collections.abc import Mapping
    from pathlib import Path

    from yarddial.session.station.station_saver import StationSaver
    from yarddial.session.station.versions import Side


class OwnFile:
    """Belongs to a session; a yard without a file, such as the demo's, has no saver.

    recovered : edits that could not be saved last time, until they are taken.
    """

    def __init__(self, desk: Desk, saver: "StationSaver | None", recovered: Station | None) -> None:
        self._desk = desk
        self.saver, self.recovered = saver, recovered
        self._changed = Listeners()
        self._seen: object = None

    def on_file_changed(self, listener: Listener) -> Callable[[], None]:
        """Another program has written it, or others have it open."""
        return self._changed.add(listener)

    def poll(self) -> None:
        """Tell where another program's version came to light."""
        if self.saver is not None and self._seen != (state := (self.saver.conflict, self.saver.others)):
            self._seen = state
            self._changed.tell()

    def recover(self) -> None:
        """Take the edits that could not be saved last time; it can be undone like any edit."""
        recovered, self.recovered = self.recovered, None
        if recovered is not None:
            if self.saver is not None:
                recovered = self.saver.with_kept(recovered, self._desk.station)
            self._desk.edit("recovered edits", recovered)

    def merge_versions(self, chosen: "Mapping[tuple[str, str], Side]") -> None:
        """Lay another program's version of the station file and the one here together; it can be undone like any edit.

        Raises BadStation where the choice does not hold together.
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
        """Keep the station in another file as well; raises NotWritten."""
        if self.saver is None:
            raise NotWritten("this yard belongs to no file: begin one of your own")
        return self.saver.copy_to(path, self._desk.station)

    def close(self) -> None:
        """Let go of the file."""
        if self.saver is not None:
            self.saver.close()
