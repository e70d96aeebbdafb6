"""Edits that could not be saved where they belong are kept here until they can be."""

import hashlib
from pathlib import Path

from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.station import Station


class Recovery:
    """One copy for each station file, in a folder of the program's own."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def keep(self, path: Path, station: Station) -> Path:
        """Keep a station that belongs at `path`; raises NotWritten when even that fails."""
        place = self._place(path)
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {self._folder}: {error.strerror}; check its permissions") from error
        StationFile(place, station).save(station)
        return place

    def find(self, path: Path) -> Station | None:
        """What is kept for `path`, if it is newer than the file there and can be read."""
        place = self._place(path)
        try:
            if path.exists() and place.stat().st_mtime < path.stat().st_mtime:
                return None
            return load_station(place).station
        except (OSError, BadStation):
            return None

    def clear(self, path: Path) -> None:
        """It has been saved where it belongs, or is not wanted."""
        self._place(path).unlink(missing_ok=True)

    def _place(self, path: Path) -> Path:
        mark = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:12]
        return self._folder / f"{path.name.removesuffix('.yard.json')}-{mark}.yard.json"
