"""Station files: `*.yard.json`, readable in a diff, unknown fields kept, older versions upgraded, written whole."""

import json
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.unknown_fields import with_unknown
from yarddial.records.upgrades import VERSION, upgraded
from yarddial.records.whole_file import reason, write_whole
from yarddial.yard.errors import BadStation
from yarddial.yard.station import Station, checked

FORMAT = "yard-dial-station"
# Nobody's yard is larger; a larger file is something else.
LARGEST_BYTES = 16 << 20


class StationFile:
    """A station together with the file it came from, so that fields of later versions survive a save."""

    def __init__(self, path: Path, station: Station, raw: dict[str, Any] | None = None) -> None:
        self.path = path
        self.station = station
        self._raw = raw or {}

    def save(self, station: Station) -> None:
        """Write a changed station; raises NotWritten."""
        merged = with_unknown(station, self._raw) | {"format": FORMAT, "version": VERSION}
        ordered = {"format": FORMAT, "version": VERSION} | merged
        write_whole(self.path, (json.dumps(ordered, indent=2, ensure_ascii=False) + "\n").encode())
        self.station, self._raw = station, ordered


def load_station(path: Path) -> StationFile:
    """Read a station file; one of an older version is upgraded in memory, and written as such with the next edit.

    Raises
    ------
    BadStation
        One sentence: which file, where in it, and what is wrong.
    """
    raw = read_json(path, FORMAT, "station")
    try:
        raw = upgraded(raw)
        station = msgspec.convert({k: v for k, v in raw.items() if k not in ("format", "version")}, Station)
        return StationFile(path, checked(station), raw)
    except (msgspec.ValidationError, RecursionError, OverflowError) as error:
        raise BadStation(f"{path.name}: {error}") from error
    except BadStation as error:
        raise BadStation(f"{path.name}: {error}") from error


def read_json(path: Path, wanted: str, what: str) -> dict[str, Any]:
    """Read a JSON object of one of our formats; raises BadStation in one sentence."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise BadStation(f"{path.name} is larger than any {what} file: choose a *.json made by this program")
        raw = json.loads(path.read_bytes(), parse_constant=_no_constant)
    except OSError as error:
        raise BadStation(f"cannot read {path}: {reason(error)}") from error
    except (ValueError, RecursionError) as error:
        said = " ".join(str(error).split())
        raise BadStation(f"{path.name} is no readable JSON ({said}): restore it from a copy") from error
    if not isinstance(raw, dict) or raw.get("format") != wanted:
        raise BadStation(f"{path.name} is no {what} file: its 'format' is not '{wanted}'")
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= VERSION:
        raise BadStation(f"{path.name} has version {version!r:.40}, this program reads up to {VERSION}: update it")
    return raw


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number of JSON")
