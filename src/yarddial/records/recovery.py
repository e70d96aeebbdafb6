"""Recovery copies: edits that could not be saved in place, and other programs' versions of a file."""

import contextlib
import hashlib
import os
from pathlib import Path

from yarddial.records.reading import is_regular
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.whole_file import digest_of, reason, write_whole
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.station import Station

# Number of other programs' versions kept per station file.
MAX_OTHERS = 40


class Recovery:
    """Numbered copies per station file, the highest one newest, in the program's own folder.

    They are numbered rather than dated, because a clock may be set back.
    """

    def __init__(self, folder: Path, *further: Path, durable: int = 1) -> None:
        """further : folders that are used where the first takes nothing; the first `durable` of all outlive a restart
        of the computer.
        """
        self._folder, self._folders, self._durable = folder, (folder, *further), durable
        # This session's copy for each station file.
        self._own: dict[Path, StationFile] = {}

    def keep(self, path: Path, station: Station, base: Station | None = None) -> Path:
        """Keep a station that belongs at `path`; raises NotWritten when even that fails.

        base : the file before the edits, so that the edits alone can be applied to a later version.
        """
        own_file = self._own.get(path)
        failed: NotWritten | None = None
        if own_file is not None:
            try:
                if not is_regular(own_file.path) or own_file.station != station:
                    own_file.save(station)
            except NotWritten as error:
                failed = error
            else:
                return own_file.path
        for folder in self._folders:
            try:
                place = self._kept_in(folder, path, station, base)
            except NotWritten as error:
                failed = failed or error
            else:
                if own_file is not None:
                    own_file.close()
                    _remove(own_file.path)
                self._own[path] = place
                return place.path
        assert failed is not None
        raise failed

    def _kept_in(self, folder: Path, path: Path, station: Station, base: Station | None) -> StationFile:
        own_file = StationFile(self._place_of_its_own(folder, path), station)
        try:
            if base is not None:
                StationFile(_base_of(own_file.path), base).save(base)
            own_file.save(station)
        except NotWritten:
            with contextlib.suppress(OSError):
                _remove(own_file.path)
            raise
        return own_file

    def is_durable(self, place: Path) -> bool:
        """Return True for a copy that outlives a restart of the computer."""
        return place.parent in self._folders[: self._durable]

    def _place_of_its_own(self, folder: Path, path: Path) -> Path:
        """Find a free number; another window may do the same at the same moment."""
        self._made(folder)
        number = max(self._numbers(path), default=0)
        while True:
            number += 1
            place = folder / f"{self._stem(path)}-{number:04d}.yard.json"
            try:
                os.close(os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600))
            except FileExistsError:
                continue
            except OSError as error:
                raise NotWritten(f"cannot write in {folder}: {reason(error)}; check its permissions") from error
            return place

    def find(self, path: Path) -> Station | None:
        """Newest readable autosave of `path` from an earlier session; None when the file already holds it."""
        own = self._own[path].path if path in self._own else None
        for _, place in sorted(self._numbers(path).items(), reverse=True):
            if place == own:
                continue
            try:
                recovered = load_station(place).station
                if not is_regular(path) or load_station(path).station != recovered:
                    return recovered
            except BadStation:
                continue
        return None

    def base_of(self, path: Path, autosaved: Station) -> Station | None:
        """Version on which kept edits were based; None where unknown."""
        for place in self._numbers(path).values():
            with contextlib.suppress(BadStation):
                if load_station(place).station == autosaved:
                    return load_station(_base_of(place)).station
        return None

    def clear(self, path: Path) -> None:
        """Remove this session's copy after it was saved in place."""
        own_file = self._own.pop(path, None)
        if own_file is not None:
            own_file.close()
            _remove(own_file.path)

    def close(self) -> None:
        """Stop watching this session's copies; they stay."""
        for own_file in self._own.values():
            own_file.close()

    def clear_taken(self, path: Path, autosaved: Station) -> None:
        """Remove a copy that was taken over and saved in place; others are offered later."""
        own = self._own[path].path if path in self._own else None
        for place in self._numbers(path).values():
            with contextlib.suppress(BadStation):
                if place != own and load_station(place).station == autosaved:
                    _remove(place)

    def keep_other(self, path: Path, content: bytes) -> Path:
        """Keep another program's version of a station file, whatever its contents; raises NotWritten."""
        self._made(self._folder)
        place = self._folder / f"{self._stem(path)}-other-{digest_of(content)[:8]}.yard.json"
        if not is_regular(place):
            write_whole(place, content)
            others = sorted(self._folder.glob(f"{self._stem(path)}-other-*"), key=lambda other: other.stat().st_mtime)
            for old in others[:-MAX_OTHERS]:
                old.unlink(missing_ok=True)
        return place

    def note_saved(self, path: Path, content: bytes) -> None:
        """Remember what was saved, to detect a program that overwrites it while no window is open."""
        with contextlib.suppress(NotWritten):
            self._made(self._folder)
            write_whole(self._saved(path), content, durable=False)

    def keep_what_was_written_over(self, path: Path) -> None:
        """At start-up keep the file beside other programs' versions if it is not what was saved last."""
        with contextlib.suppress(OSError, NotWritten):
            content = self._saved(path).read_bytes()
            if not is_regular(path) or path.read_bytes() != content:
                self.keep_other(path, content)

    def _saved(self, path: Path) -> Path:
        return self._folder / f"{self._stem(path)}-saved.yard.json"

    def _made(self, folder: Path) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {folder}: {error.strerror}; check its permissions") from error

    def _stem(self, path: Path) -> str:
        mark = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogateescape")).hexdigest()[:12]
        return f"{path.name.removesuffix('.yard.json')[:60]}-{mark}"

    def _numbers(self, path: Path) -> dict[int, Path]:
        stem = self._stem(path)
        paths = {0: self._folder / f"{stem}.yard.json"}
        for folder in self._folders:
            for place in folder.iterdir() if folder.is_dir() else ():
                number = place.name.removeprefix(f"{stem}-").removesuffix(".yard.json")
                if place.name.startswith(f"{stem}-") and number.isdigit():
                    paths[int(number)] = place
        # Number 0 was used by earlier versions of this program.
        return {number: place for number, place in paths.items() if number or is_regular(place)}


def _base_of(place: Path) -> Path:
    return place.with_name(f"{place.name.removesuffix('.yard.json')}-base.yard.json")


def _remove(place: Path) -> None:
    place.unlink(missing_ok=True)
    _base_of(place).unlink(missing_ok=True)
