"""Saver of a station: writes it to its file or a recovery copy; never over another program's version."""

import contextlib
import os
from collections.abc import Mapping
from pathlib import Path

import msgspec

from yarddial.records.presence import Presence
from yarddial.records.recovery import Recovery
from yarddial.records.station_file import StationFile, station_of
from yarddial.records.whole_file import check_name
from yarddial.session.station.versions import Side, VersionDifference, differences, merged, without_dial
from yarddial.yard.errors import BadStation, ChangedElsewhere, NotWritten
from yarddial.yard.station import Station


class Conflict(msgspec.Struct, frozen=True):
    """Another program's version of the file: as read, or why it cannot be read; and where a copy of it is kept."""

    content: bytes
    station: Station | None
    why_not: str
    kept_as: str


class StationSaver:
    """`save` and `check` run in the saving thread; the rest is for the session."""

    def __init__(
        self,
        file: StationFile,
        recovery: Recovery,
        presence: Presence | None = None,
        left: tuple[Path, ...] = (),
    ) -> None:
        """left : other programs' versions that a killed save had put aside."""
        self.left = left
        self._file, self._recovery, self._presence = file, recovery, presence
        self.conflict: Conflict | None = None
        # Station recovered from an earlier session; its copy is removed once it is saved.
        self._taken: Station | None = None
        self.others = 0
        if presence is not None:
            presence.begin()
            self.others = presence.others()

    @property
    def path(self) -> Path:
        """Path of the station file."""
        return self._file.path

    def save(self, station: Station) -> None:
        """Write it; raises NotWritten, and keeps a recovery copy meanwhile."""
        try:
            if self.conflict is not None:
                raise ChangedElsewhere(f"{self.path.name} was changed by another program", self.conflict.content)
            self._file.save(station)
        except ChangedElsewhere as error:
            self._meet(error)
            error.is_kept = True
            if without_dial(station) != without_dial(self._file.station):
                error.is_kept = False
                error.is_kept = self._recovery.is_durable(self._recovery.keep(self.path, station, self._file.station))
            raise
        except NotWritten as error:
            place = self._recovery.keep(self.path, station, self._file.station)
            answer = type(error)(f"{error}; kept as {place} meanwhile")
            answer.is_kept = self._recovery.is_durable(place) or not self.has_edits(station)
            raise answer from error
        self._recovery.clear(self.path)
        self._recovery.note_saved(self.path, self._file.content)
        if self._taken is not None:
            self._recovery.clear_taken(self.path, self._taken)
            self._taken = None

    def check(self) -> None:
        """Check for changes by other programs, and count the other windows; raises ChangedElsewhere."""
        if self._presence is not None:
            self.others = self._presence.others()
        try:
            if self.conflict is None:
                self._file.check()
        except ChangedElsewhere as error:
            self._meet(error)
            raise

    def differences(self, here: Station) -> tuple[VersionDifference, ...]:
        """Differences between the present station and the file, by part; empty without a conflict, or for an invalid
        file.
        """
        if self.conflict is None or self.conflict.station is None:
            return ()
        return differences(self._file.station, here, self.conflict.station)

    def merged(self, here: Station, chosen: Mapping[tuple[str, str], Side]) -> Station:
        """The merged station chosen by the person; later saves replace the other program's version.

        Raises BadStation, nothing changed, where the result is inconsistent.
        """
        conflict = self.conflict
        if conflict is None:
            return here
        station = here if conflict.station is None else merged(here, conflict.station, chosen)
        self.conflict = None
        # An invalid file is overwritten, and a copy of it kept.
        with contextlib.suppress(BadStation):
            self._file.accept(conflict.content)
        return station

    def with_kept(self, autosaved: Station, here: Station) -> Station:
        """Apply edits kept from an earlier session to the file's present contents, which are kept as well."""
        with contextlib.suppress(NotWritten):
            self._recovery.keep_other(self.path, self._file.content)
        base = self._recovery.base_of(self.path, autosaved)
        self._taken = autosaved
        if base is None:
            return autosaved
        try:
            return merged(
                autosaved, here, {difference.key: difference.usual for difference in differences(base, autosaved, here)}
            )
        except BadStation:
            # They cannot be combined: the edits count, and the file's version is kept beside.
            return autosaved

    def has_edits(self, station: Station) -> bool:
        """Return True when the file holds another yard; its dial does not count."""
        return without_dial(station) != without_dial(self._file.station)

    def write_read_only(self) -> None:
        """Write a read-only file, as the person wants."""
        self._file.may_write_read_only = True

    def copy_to(self, path: Path, station: Station) -> Path:
        """Write the station to another file, which must not exist; raises NotWritten."""
        if not path.name.endswith(".json"):
            path = path.with_name(f"{path.name}.yard.json")
        check_name(path)
        if os.path.exists(path):
            raise NotWritten(f"{path} is there already: give another name")
        StationFile(path, station).save(station)
        return path

    def close(self) -> None:
        """Stop saving."""
        self._file.close()
        self._recovery.close()
        if self._presence is not None:
            self._presence.end()

    def _meet(self, error: ChangedElsewhere) -> None:
        if self.conflict is not None:
            return
        # Keep what was saved here last, which the other program may have overwritten.
        self._recovery.keep_other(self.path, self._file.content)
        self._recovery.keep_what_was_written_over(self.path)
        other_path = str(self._recovery.keep_other(self.path, error.theirs))
        try:
            self.conflict = Conflict(error.theirs, station_of(error.theirs, self.path).station, "", other_path)
        except BadStation as bad:
            self.conflict = Conflict(error.theirs, None, str(bad), other_path)
