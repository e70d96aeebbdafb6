"""Log entries that the log could not take: kept in a file of their own until a session with a working log adds them."""

import contextlib
import json
import os
from collections.abc import Iterable, Sequence
from pathlib import Path

import msgspec

from yarddial.records.entry import Entry
from yarddial.records.log_row import Unreadable, entry_of, row_of
from yarddial.records.reading import ENTRIES, is_regular, read_bytes
from yarddial.records.whole_file import digest_of, write_whole
from yarddial.yard.errors import NotWritten

# Fields of a row in the order of `row_of`.
FIELDS = ("at_utc", "station", "kind", "route", "method", "reference", "temperature_c", "text", "data")


def lines_of(entries: Iterable[Entry]) -> bytes:
    """Entries as JSON Lines, as `entries_in` reads them."""
    rows = (dict(zip(FIELDS, row_of(entry), strict=True)) for entry in entries)
    return "".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows).encode()


def entries_in(content: bytes) -> tuple[Entry, ...]:
    """Read entries from JSON Lines; a line that is no entry is left out."""
    entries = []
    for line in content.decode("utf-8", "replace").splitlines():
        with contextlib.suppress(ValueError):
            row = json.loads(line)
            if isinstance(row, dict):
                entry = entry_of({**dict.fromkeys(FIELDS), **row, "id": 0})
                if not isinstance(entry, Unreadable):
                    entries.append(entry)
    return tuple(entries)


class WaitingEntries:
    """One file per process, in the first folder that takes it.

    folders : from the one that is kept longest; `durable` of them outlive a restart of the computer, the rest only the
    end of the program.
    """

    def __init__(self, log_path: Path, folders: Sequence[Path], durable: int) -> None:
        self._folders, self._durable = tuple(folders), durable
        mark = digest_of(os.fsencode(log_path))[:12]
        self._stem = f"waiting-{mark}-"
        self._own: Path | None = None
        self._read: list[Path] = []

    def keep(self, entries: Sequence[Entry]) -> bool:
        """Keep the entries in place of those kept before; return whether they outlive a restart of the computer.

        Raises NotWritten where no folder takes them; those kept before are untouched.
        """
        content = lines_of(entries)
        failed: NotWritten | None = None
        for number, folder in enumerate(self._folders):
            place = folder / f"{self._stem}{_process(os.getpid())}.jsonl"
            try:
                folder.mkdir(parents=True, exist_ok=True, mode=0o700)
                write_whole(place, content)
            except NotWritten as error:
                failed = failed or error
            except OSError as error:
                failed = failed or NotWritten(f"cannot make {folder}: {error.strerror}; check its permissions")
            else:
                if self._own not in (None, place):
                    self.clear()
                self._own = place
                return number < self._durable
        raise failed or NotWritten("no folder is known for entries that wait: state one")

    def clear(self) -> None:
        """Remove this process's file after its entries are in the log."""
        if self._own is not None:
            with contextlib.suppress(OSError):
                self._own.unlink()
            self._own = None

    def left(self) -> tuple[Entry, ...]:
        """Entries of processes that have ended, oldest first."""
        entries: list[Entry] = []
        self._read = []
        for folder in self._folders:
            with contextlib.suppress(OSError):
                for place in sorted(folder.glob(f"{self._stem}*.jsonl")):
                    if not _is_running(place.stem.removeprefix(self._stem)) and is_regular(place):
                        entries += entries_in(read_bytes(place, ENTRIES, NotWritten))
                        self._read.append(place)
        return tuple(sorted(entries, key=lambda entry: entry.at_utc))

    def taken(self) -> None:
        """Remove the files that `left` read, whose entries are in the log now."""
        for place in self._read:
            with contextlib.suppress(OSError):
                place.unlink()
        self._read = []


def is_same(first: Entry, second: Entry) -> bool:
    """Return True for one entry with and without its number in the log."""
    return msgspec.structs.replace(first, id=0) == msgspec.structs.replace(second, id=0)


def _process(number: int) -> str:
    """A process by its number and start: numbers are given again, soon where there are few processes."""
    try:
        # Fields after the name, which may hold anything; the start is the 22nd of all (proc(5)).
        start = Path(f"/proc/{number}/stat").read_text(errors="replace").rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""
    return f"{number}-{start}"


def _is_running(process: str) -> bool:
    number = process.partition("-")[0]
    return number.isdigit() and _process(int(number)) == process
