"""Daily copies of the log, the last seven kept, to replace a damaged log."""

import contextlib
import os
import sqlite3
import time
from pathlib import Path

import msgspec

from yarddial.records.log_row import Unreadable
from yarddial.records.log_schema import FIELDS
from yarddial.records.logbook import FAILURES, Logbook, refusal
from yarddial.records.whole_file import MARK, reason
from yarddial.yard import clock
from yarddial.yard.errors import LogNotWritten

MAX_COPIES = 7


class Restored(msgspec.Struct, frozen=True):
    """Result of a restoration: the copy used, its entries, entries saved from the damaged log, and that log's new
    name.
    """

    copy: str
    entries: int
    saved: int
    aside: str


class LogCopies:
    """Copies in the folder `log-copies` beside the log, named by date."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._folder = path.parent / f"{path.stem}-copies"

    def all(self) -> tuple[Path, ...]:
        """All copies, newest first."""
        copies = self._folder.glob(f"{self._path.stem}-????-??-??.sqlite") if self._folder.is_dir() else ()
        return tuple(sorted(copies, reverse=True))

    def make(self) -> Path | None:
        """Make today's copy unless it exists or the log is empty; raises LogNotWritten. A damaged log is not copied."""
        place = self._folder / f"{self._path.stem}-{clock.now():%Y-%m-%d}.sqlite"
        if place.exists() or not self._path.is_file():
            return None
        temporary = place.with_name(f".{place.name}{MARK}")
        try:
            self._folder.mkdir(exist_ok=True)
            temporary.unlink(missing_ok=True)
            with contextlib.closing(sqlite3.connect(f"{self._path.absolute().as_uri()}?mode=ro", uri=True)) as source:
                source.execute("VACUUM INTO ?", (str(temporary),))
            why_not = _why_damaged(temporary)
            if why_not:
                raise LogNotWritten(f"today's copy of the log was not made: {why_not}")
            os.replace(temporary, place)
            for old in self.all()[MAX_COPIES:]:
                old.unlink(missing_ok=True)
        except FAILURES as error:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)
            raise refusal(self._path, error) from error
        return place

    def restore(self) -> Restored:
        """Replace the log by the newest good copy, and add every readable row of the damaged log.

        The damaged log is kept under another name. Without a good copy a new log is begun. Nobody may have it open.
        Raises LogNotWritten, and changes nothing then.
        """
        copy = next((place for place in self.all() if not _why_damaged(place)), None)
        temporary = self._path.with_name(f".{self._path.name}{MARK}")
        try:
            temporary.unlink(missing_ok=True)
            if copy is not None:
                with contextlib.closing(sqlite3.connect(f"{copy.absolute().as_uri()}?mode=ro", uri=True)) as source:
                    source.execute("VACUUM INTO ?", (str(temporary),))
            book = Logbook(temporary)
            count = book.count()
            book.close()
            saved = _save_rows(self._path, temporary)
            aside = self._path.with_name(f"{self._path.stem}-damaged-{clock.now():%Y%m%d-%H%M%S}{self._path.suffix}")
            for ending in ("", "-wal", "-shm"):
                there = self._path.with_name(f"{self._path.name}{ending}")
                if there.exists():
                    os.replace(there, aside.with_name(f"{aside.name}{ending}"))
            os.replace(temporary, self._path)
        except FAILURES as error:
            raise LogNotWritten(f"the log cannot be restored: {_said(error)}; it is as it was") from error
        return Restored("" if copy is None else copy.name, count, saved, aside.name)


def _save_rows(damaged: Path, good: Path) -> int:
    """Read rows of the damaged log that the good one lacks, one by one as far as possible."""
    saved = 0
    names = FIELDS.split(", ")
    if not damaged.is_file():
        return 0
    with (
        contextlib.closing(sqlite3.connect(f"{damaged.absolute().as_uri()}?mode=ro", uri=True)) as source,
        contextlib.closing(sqlite3.connect(good, isolation_level=None)) as target,
    ):
        # A text that is not UTF-8 must not stop the reading.
        source.text_factory = lambda raw: raw.decode("utf-8", "replace")
        last = target.execute("SELECT coalesce(max(id), 0) FROM entries").fetchone()[0]
        target.execute("BEGIN")
        for first in (True, False):
            # Read from both ends: a damaged page stops the reading from one of them.
            order = "ASC" if first else "DESC"
            with contextlib.suppress(sqlite3.Error, UnicodeError):
                for row in source.execute(f"SELECT id, {FIELDS} FROM entries WHERE id>? ORDER BY id {order}", (last,)):
                    with contextlib.suppress(sqlite3.Error, UnicodeError):
                        marks = ",".join("?" * (len(names) + 1))
                        done = target.execute(f"INSERT OR IGNORE INTO entries (id, {FIELDS}) VALUES ({marks})", row)
                        saved += done.rowcount
        target.execute("COMMIT")
    return saved


def _why_damaged(place: Path) -> str:
    try:
        with contextlib.closing(sqlite3.connect(f"{place.absolute().as_uri()}?mode=ro", uri=True)) as source:
            report = str(source.execute("PRAGMA quick_check(1)").fetchone()[0])
            source.execute("SELECT count(*) FROM entries WHERE id<0")
    except FAILURES as error:
        return " ".join(str(error).split()).lower()[:120]
    return "" if report == "ok" else report.splitlines()[0][:120]


def _said(error: Exception) -> str:
    return reason(error) if isinstance(error, OSError) and not isinstance(error, LogNotWritten) else str(error).lower()


def examine(path: Path) -> dict[int, Unreadable]:
    """Read every row of a log once and return the unreadable ones. Raises LogNotWritten."""
    if not path.is_file():
        return {}
    book = Logbook(path)
    try:
        for _ in book.examined():
            # Yield to other work.
            time.sleep(0.002)
        return book.unreadable
    finally:
        book.close()
