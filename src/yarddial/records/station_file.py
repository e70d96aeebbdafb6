"""Station files `*.yard.json`: diffable, unknown fields kept, older versions upgraded, written completely or not at
all.
"""

import json
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records import reading
from yarddial.records.reading import FileKind, cut, is_regular, one_line_of
from yarddial.records.unknown_fields import with_unknown
from yarddial.records.upgrades import FORMAT_VERSION, upgraded
from yarddial.records.whole_file import Former, digest_of, refuse_read_only, replace_known, write_whole
from yarddial.yard.errors import BadStation, ChangedElsewhere, NotWritten
from yarddial.yard.plain_text import shown
from yarddial.yard.station import Station, checked

FORMAT = "yard-dial-station"
# Sanity limits; larger counts would only be slow.
MAX_COUNTS = {"parts": 1_000, "routes": 200, "own_bands": 2_000, "references": 2_000}


class StationFile:
    """A station with its file, so that fields of later versions survive a save.

    station : as read or written last.
    """

    def __init__(self, path: Path, station: Station, raw: dict[str, Any] | None = None, digest: str = "") -> None:
        """digest : of the contents read; without it the existing file is replaced."""
        self.path = path
        self.station = station
        self._raw, self._digest = raw or {}, digest
        self._former: Former | None = None
        self._content = b""
        self.may_write_read_only = False

    @property
    def content(self) -> bytes:
        """Contents read or written last."""
        return self._content or self._data(self._ordered(self.station))

    def save(self, station: Station) -> None:
        """Write a changed station; raises NotWritten, and ChangedElsewhere where another program wrote first."""
        ordered = self._ordered(station)
        data = self._data(ordered)
        self.check()
        digest = digest_of(data)
        if digest != self._digest or not self.path.exists():
            if not self.may_write_read_only:
                refuse_read_only(self.path)
            if not self._digest:
                write_whole(self.path, data)
            elif (former := replace_known(self.path, data, self._digest)) is not None:
                self.close()
                self._former = former
        self.station, self._raw, self._digest, self._content = station, ordered, digest, data

    def _ordered(self, station: Station) -> dict[str, Any]:
        merged: dict[str, Any] = with_unknown(station, self._raw) | {"format": FORMAT, "version": FORMAT_VERSION}
        return {"format": FORMAT, "version": FORMAT_VERSION} | merged

    def _data(self, ordered: dict[str, Any]) -> bytes:
        # Characters that no file can hold are written as JSON escapes.
        return (json.dumps(ordered, indent=2, ensure_ascii=False) + "\n").encode("utf-8", "backslashreplace")

    def check(self) -> None:
        """Check whether another program has written the file meanwhile; raises ChangedElsewhere."""
        if not self._digest:
            return
        written = self._former.written_since() if self._former is not None else None
        if written is not None:
            raise ChangedElsewhere(f"another program was writing {self.path.name} when it was saved: compare", written)
        if not is_regular(self.path):
            return
        theirs = reading.read_bytes(self.path, reading.STATION, NotWritten)
        if digest_of(theirs) != self._digest:
            raise ChangedElsewhere(
                f"{self.path.name} was changed by another program since it was read: compare the two and choose", theirs
            )

    def accept(self, theirs: bytes) -> None:
        """Accept another program's version, so that the next save replaces it. Raises BadStation."""
        digest = digest_of(theirs)
        try:
            read = station_of(theirs, self.path)
            self.station, self._raw, self._content = read.station, read._raw, theirs
        finally:
            self.close()
            if is_regular(self.path):
                now = digest_of(reading.read_bytes(self.path, reading.STATION, BadStation))
                # The file may be what was saved here, with theirs in the file that it replaced.
                self._digest = digest if now != self._digest else now

    def close(self) -> None:
        """Stop watching the replaced file for late writers."""
        if self._former is not None:
            self._former.close()
            self._former = None


def load_station(path: Path) -> StationFile:
    """Read a station file; an older version is upgraded in memory and written with the next edit.

    Raises
    ------
    BadStation
        One sentence: which file, where in it, and what is wrong.
    """
    return station_of(reading.read_bytes(path, reading.STATION, BadStation), path)


def station_of(data: bytes, path: Path) -> StationFile:
    """The same for contents that were read already."""
    raw = json_of(data, path, FORMAT, reading.STATION)
    try:
        raw = upgraded(raw)
        _not_too_many(raw)
        station = msgspec.convert({k: v for k, v in raw.items() if k not in ("format", "version")}, Station)
        return StationFile(path, checked(station), raw, digest_of(data))
    except (msgspec.ValidationError, RecursionError, OverflowError, BadStation) as error:
        raise BadStation(cut(f"{shown(path.name)}: {one_line_of(error)}")) from error


def read_json(path: Path, wanted: str, kind: FileKind) -> dict[str, Any]:
    """Read a JSON object; raises BadStation in one sentence."""
    return json_of(reading.read_bytes(path, kind, BadStation), path, wanted, kind)


def json_of(data: bytes, path: Path, wanted: str, kind: FileKind) -> dict[str, Any]:
    """The same for contents that were read already."""
    raw, name = reading.json_value_of(data, path, BadStation), shown(path.name)
    if not isinstance(raw, dict) or raw.get("format") != wanted:
        raise BadStation(f"{name} is no {kind.what} file: its 'format' is not '{wanted}'")
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= FORMAT_VERSION:
        raise BadStation(f"{name} has version {version!r:.40}, this program reads up to {FORMAT_VERSION}: update it")
    return raw


def _not_too_many(raw: dict[str, Any]) -> None:
    for key, limit in MAX_COUNTS.items():
        if isinstance(raw.get(key), list) and len(raw[key]) > limit:
            raise BadStation(f"it has {len(raw[key]):,} {key.replace('_', ' ')}, and {limit:,} is the most: split it")
