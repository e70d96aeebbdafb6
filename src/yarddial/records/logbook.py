"""The logbook: one SQLite file in write-ahead mode. Committed entries survive a kill at any moment."""

import contextlib
import errno
import os
import sqlite3
from collections import deque
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.entry import Entry, utc_now
from yarddial.records.log_row import Unreadable, entry_of, row_of
from yarddial.records.log_schema import FIELDS, MAX_NOTED_ROWS, SCHEMA_VERSION, prepare
from yarddial.records.whole_file import reason
from yarddial.yard import clock
from yarddial.yard.errors import LogDamaged, LogNotWritten
from yarddial.yard.plain_text import shown

# Wait this long for another program that holds the log, then return the entry to the caller.
PATIENCE_S = 0.5
MAX_ADDED = 2_000
# Errors from a database, its disk, or its texts: damage may affect even a table's name.
FAILURES = (sqlite3.Error, OSError, UnicodeError)
# Files below these paths may be endless.
SYSTEM = ("/proc/", "/sys/", "/dev/")
_NAMES = ("id", *FIELDS.split(", "))
# Maximum number of history points and dial positions read.
MAX_POINTS, MAX_PLACES = 70 * MAX_NOTED_ROWS, 4_000


class Logbook:
    """Record of observations and settings, read by station and time, never as a whole.

    Entries are only added; `amend` adds data derived from an entry later.
    """

    def __init__(self, path: Path) -> None:
        """Open or create the log; raises LogNotWritten with the reason."""
        self.path = path
        # Unreadable rows by number.
        self.unreadable: dict[int, Unreadable] = {}
        # A remark about a repair; normally empty.
        self.remark = ""
        # The latest entries added since it was opened.
        self._added: deque[Entry] = deque(maxlen=MAX_ADDED)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            if (path.exists() and not path.is_file()) or os.path.realpath(path).startswith(SYSTEM):
                raise LogNotWritten(f"{path} is no file that a log can be in: move it aside, a new one will be begun")
            self._open()
        except FAILURES as error:
            raise refusal(path, error) from error

    def _open(self) -> None:
        self._connection = sqlite3.connect(self.path, timeout=PATIENCE_S, isolation_level=None, check_same_thread=False)
        try:
            # A text that is not UTF-8 must not affect other rows.
            self._connection.text_factory = lambda raw: raw.decode("utf-8", "surrogateescape")
            self._connection.execute("PRAGMA journal_mode=WAL")
            # Each entry reaches the disk before it counts as stored.
            self._connection.execute("PRAGMA synchronous=FULL")
            if prepare(self._connection) > SCHEMA_VERSION:
                raise LogNotWritten(f"the log {self.path} was made by a newer version of this program: update it")
        except FAILURES:
            with contextlib.suppress(sqlite3.Error, UnicodeError):
                self._connection.rollback()
            self._connection.close()
            raise
        self._identity, self._traces = _identity(self.path), _identity(self._beside("-wal"))

    # Writing

    def add(self, entry: Entry) -> Entry:
        """Store an entry and return it with its number and time; raises LogNotWritten, the log unchanged."""
        stamped = msgspec.structs.replace(entry, at_utc=entry.at_utc or utc_now())
        try:
            self._stay_with_file()
            number = self._insert(row_of(stamped))
        except FAILURES as error:
            with contextlib.suppress(sqlite3.Error, UnicodeError):
                self._connection.rollback()
            raise refusal(self.path, error) from error
        stored = msgspec.structs.replace(stamped, id=number)
        self._added.append(stored)
        return stored

    def amend(self, entry: Entry) -> None:
        """Replace the contents of an entry; raises LogNotWritten, the log unchanged.

        It is removed and added again in one step, so that searches by content find the new text.
        """
        try:
            self._stay_with_file()
            self._connection.execute("BEGIN IMMEDIATE")
            removed = self._connection.execute("DELETE FROM entries WHERE id=?", (entry.id,)).rowcount
            if removed:
                asked = f"INSERT INTO entries (id, {FIELDS}) VALUES (?,?,?,?,?,?,?,?,?,?)"
                self._connection.execute(asked, (entry.id, *row_of(entry)))
            self._connection.execute("COMMIT")
        except FAILURES as error:
            with contextlib.suppress(sqlite3.Error, UnicodeError):
                self._connection.rollback()
            raise refusal(self.path, error) from error
        self._added = deque((entry if added.id == entry.id else added for added in self._added), maxlen=MAX_ADDED)

    def _stay_with_file(self) -> None:
        """Follow the file name: if it leads to another file or to none, re-add this session's entries there."""
        now = _identity(self.path)
        if now == self._identity:
            return
        aside = self.path
        if now is not None:
            aside = self.path.with_name(f"{self.path.stem}-before-{clock.now():%Y%m%d-%H%M%S}{self.path.suffix}")
        if now is None:
            # If the folder is gone as well, a disk was removed and may come back with the log.
            self.path.parent.stat()
            self._remove_traces()
        self._connection.execute("VACUUM INTO ?", (str(aside),))
        # Close first and remove its side files, which would be taken for the new file's.
        self._connection.close()
        if self._traces is not None and _identity(self._beside("-wal")) == self._traces:
            self._remove_traces()
        self._open()
        if now is None:
            self.remark = f"the log {self.path.name} had been deleted or moved: all of it was written anew"
        else:
            for entry in self._added:
                self._add_unless_there(entry)
            self.remark = f"the log {self.path.name} was replaced by another file: the former is kept as {aside.name}"

    def _add_unless_there(self, entry: Entry) -> None:
        """Entries written since the start belong into whatever file is the log now."""
        values = row_of(entry)
        asked = "SELECT 1 FROM entries WHERE station=? AND kind=? AND at_utc=? AND text=? AND data=?"
        wanted = (values[1], values[2], values[0], values[7], values[8])
        if self._connection.execute(asked, wanted).fetchone() is None:
            self._insert(values)

    def _insert(self, values: Sequence[object]) -> int:
        asked = f"INSERT INTO entries ({FIELDS}) VALUES (?,?,?,?,?,?,?,?,?)"
        return self._connection.execute(asked, tuple(values)).lastrowid or 0

    def _remove_traces(self) -> None:
        for ending in ("-wal", "-shm"):
            with contextlib.suppress(OSError):
                self._beside(ending).unlink()

    def _beside(self, ending: str) -> Path:
        return self.path.with_name(f"{self.path.name}{ending}")

    # Reading

    def entries(
        self, kind: str = "", station: str = "", limit: int = 10_000, *, before_id: int = 0, since_utc: str = ""
    ) -> tuple[Entry, ...]:
        """Entries, newest first; all kinds and stations by default. Raises LogNotWritten.

        before_id : only older ones. since_utc : not older than that time.
        """
        asked: list[str] = []
        values: list[object] = []
        for column, value in (("station=?", station), ("kind=?", kind), ("id<?", before_id), ("at_utc>=?", since_utc)):
            if value:
                asked.append(column)
                values.append(value)
        where = f"WHERE {' AND '.join(asked)}" if asked else ""
        # By number, since the clock may have been set back; by time where a time is given. Both have an index.
        order = "at_utc DESC, id DESC" if since_utc else "id DESC"
        return self._read(f"SELECT id, {FIELDS} FROM entries {where} ORDER BY {order} LIMIT ?", (*values, limit))

    def search(self, words: str, limit: int = 200, before_id: int = 0) -> tuple[Entry, ...]:
        """Entries that hold all words, or words beginning so, newest first and older than `before_id`."""
        asked = " ".join(f'"{word}"*' for word in words.replace('"', " ").split()[:12])
        if not asked:
            return self.entries(limit=limit, before_id=before_id)
        bound = "AND rowid<?" if before_id else ""
        matching_rows = f"SELECT rowid FROM words WHERE words MATCH ? {bound} ORDER BY rowid DESC LIMIT ?"
        values = (asked, *((before_id,) if before_id else ()), limit)
        return self._read(f"SELECT id, {FIELDS} FROM entries WHERE id IN ({matching_rows}) ORDER BY id DESC", values)

    def of_oscillators(self, station: str, names: Sequence[str]) -> tuple[Entry, ...]:
        """Entries about these oscillators, newest first: the last ones of each in intervals of six hours."""
        asked = "SELECT entry FROM points WHERE station=? AND name=? ORDER BY slot DESC, entry DESC LIMIT ?"
        return self._numbered(asked, [(station, name, MAX_POINTS) for name in names])

    def of_places(self, station: str) -> tuple[Entry, ...]:
        """Entries with a dial position, newest first: the last of each position."""
        asked = "SELECT DISTINCT entry FROM places WHERE station=? ORDER BY entry DESC LIMIT ?"
        return self._numbered(asked, [(station, MAX_PLACES)])

    def count(self) -> int:
        """Number of entries."""
        try:
            return int(self._connection.execute("SELECT coalesce(sum(entries), 0) FROM counts").fetchone()[0])
        except (*FAILURES, TypeError, ValueError) as error:
            raise refusal(self.path, error) from error

    def examined(self, first_id: int = 0) -> Iterator[int]:
        """Read every row from a number on, in parts, and note unreadable ones; return the number reached."""
        while True:
            rows = self._rows(f"SELECT id, {FIELDS} FROM entries WHERE id>? ORDER BY id LIMIT 500", (first_id,))
            if not rows:
                return
            for row in rows:
                self._entry(row)
            first_id = int(rows[-1]["id"])
            yield first_id

    def close(self) -> None:
        """Close the log file."""
        self._connection.close()

    def _numbered(self, asked: str, many: Sequence[tuple[object, ...]]) -> tuple[Entry, ...]:
        try:
            numbers = {row[0] for values in many for row in self._connection.execute(asked, values)}
        except FAILURES as error:
            raise refusal(self.path, error) from error
        ordered = sorted((n for n in numbers if isinstance(n, int)), reverse=True)
        entries: list[Entry] = []
        for i in range(0, len(ordered), 500):
            some = ordered[i : i + 500]
            marks = ",".join("?" * len(some))
            entries += self._read(f"SELECT id, {FIELDS} FROM entries WHERE id IN ({marks}) ORDER BY id DESC", some)
        return tuple(entries)

    def _read(self, asked: str, values: Sequence[object]) -> tuple[Entry, ...]:
        return tuple(entry for row in self._rows(asked, values) if (entry := self._entry(row)) is not None)

    def _rows(self, asked: str, values: Sequence[object]) -> list[dict[str, Any]]:
        try:
            rows = self._connection.execute(asked, tuple(values)).fetchall()
        except (*FAILURES, OverflowError) as error:
            raise refusal(self.path, error) from error
        return [dict(zip(_NAMES, row, strict=True)) for row in rows]

    def _entry(self, row: dict[str, Any]) -> Entry | None:
        entry = entry_of(row)
        if isinstance(entry, Unreadable):
            self.unreadable[entry.id] = entry
            return None
        self.unreadable.pop(entry.id, None)
        return entry


def refusal(path: Path, error: Exception) -> LogNotWritten:
    """Describe an error of the database or disk in a sentence."""
    if isinstance(error, LogNotWritten):
        return error
    # The low byte is the primary result code.
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    match code:
        case sqlite3.SQLITE_BUSY | sqlite3.SQLITE_LOCKED:
            return LogNotWritten(f"the log {path.name} is held by another program: close that; entries wait until then")
        case sqlite3.SQLITE_FULL:
            return LogNotWritten(f"the disk that holds the log {path} is full: make room; entries wait until then")
        case sqlite3.SQLITE_READONLY | sqlite3.SQLITE_PERM | sqlite3.SQLITE_CANTOPEN:
            return LogNotWritten(f"cannot write the log {path}: check that its folder exists and may be written")
        case sqlite3.SQLITE_IOERR:
            return LogNotWritten(
                f"the disk refuses to write the log {path}: is it full, over quota or failing? entries wait"
            )
        case sqlite3.SQLITE_NOTADB | sqlite3.SQLITE_CORRUPT:
            return LogDamaged(
                f"{path} is not a logbook or is damaged: put a copy in its place; nothing is thrown away", path
            )
    if isinstance(error, OSError) and error.errno in (errno.EACCES, errno.EPERM, errno.EROFS, errno.ENOTDIR):
        return LogNotWritten(f"cannot write the log {path}: check that its folder exists and may be written")
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return LogNotWritten(f"the disk that holds the log {path} is full: make room; entries wait until then")
    words = shown(" ".join(str(error).split()).lower()[:160])
    if isinstance(error, OSError):
        return LogNotWritten(f"cannot reach the log {path}: {reason(error)}; bring its folder back, entries wait")
    # Changed tables or columns and invalid texts count as damage as well.
    if isinstance(error, sqlite3.DatabaseError) and not isinstance(error, sqlite3.OperationalError):
        return LogDamaged(f"the log {path} is damaged ({words}): put a copy in its place; nothing is thrown away", path)
    if isinstance(error, UnicodeError) or "no such" in words or "has no column" in words or "malformed" in words:
        return LogDamaged(f"the log {path} is damaged ({words}): put a copy in its place; nothing is thrown away", path)
    return LogNotWritten(f"cannot write the log {path}: {words}")


def _identity(path: Path) -> tuple[int, int] | None:
    try:
        status = os.stat(path)
    except FileNotFoundError:
        return None
    return status.st_dev, status.st_ino
