"""The logbook: one SQLite file in write-ahead mode. What was committed is there after a kill at any moment."""

import contextlib
import errno
import json
import sqlite3
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.entry import Entry, utc_now
from yarddial.records.log_data import log_builtins, read_log_data
from yarddial.yard.errors import LogNotWritten

SCHEMA_VERSION = 1
# Seconds to wait for another program that holds the log before giving the entry back to the caller.
PATIENCE_S = 0.5

_SCHEMA = """
CREATE TABLE entries (
    id INTEGER PRIMARY KEY,
    at_utc TEXT NOT NULL,
    station TEXT NOT NULL,
    kind TEXT NOT NULL,
    route TEXT NOT NULL DEFAULT '',
    method TEXT NOT NULL DEFAULT '',
    reference TEXT NOT NULL DEFAULT '',
    temperature_c REAL,
    text TEXT NOT NULL,
    data TEXT NOT NULL DEFAULT '{}'
);
CREATE INDEX entries_by_kind ON entries (station, kind, at_utc);
"""
_FIELDS = "at_utc, station, kind, route, method, reference, temperature_c, text, data"


class Logbook:
    """Append-only record of what was observed and set."""

    def __init__(self, path: Path) -> None:
        """Open or make the log; raises LogNotWritten with the reason when that is not possible."""
        self.path = path
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._connection = sqlite3.connect(path, timeout=PATIENCE_S, isolation_level=None)
            self._prepare()
        except (sqlite3.Error, OSError) as error:
            raise LogNotWritten(_sentence(path, error)) from error

    def _prepare(self) -> None:
        run = self._connection.execute
        run("PRAGMA journal_mode=WAL")
        # Each entry reaches the disk before it counts as kept.
        run("PRAGMA synchronous=FULL")
        version = run("PRAGMA user_version").fetchone()[0]
        if version > SCHEMA_VERSION:
            raise LogNotWritten(f"the log {self.path} was made by a newer version of this program: update it")
        if version == 0:
            run("BEGIN IMMEDIATE")
            if run("PRAGMA user_version").fetchone()[0] == 0:
                for statement in filter(str.strip, _SCHEMA.split(";")):
                    run(statement)
                run(f"PRAGMA user_version={SCHEMA_VERSION}")
            run("COMMIT")

    def add(self, entry: Entry) -> Entry:
        """Keep an entry and return it with its number and time; raises LogNotWritten, the log unchanged."""
        stamped = msgspec.structs.replace(entry, at_utc=entry.at_utc or utc_now())
        values = [getattr(stamped, name) for name in _FIELDS.split(", ")[:-1]]
        try:
            cursor = self._connection.execute(
                f"INSERT INTO entries ({_FIELDS}) VALUES (?,?,?,?,?,?,?,?,?)",
                [*values, json.dumps(log_builtins(stamped.data))],
            )
        except (sqlite3.Error, OSError) as error:
            with contextlib.suppress(sqlite3.Error):
                self._connection.rollback()
            raise LogNotWritten(_sentence(self.path, error)) from error
        return msgspec.structs.replace(stamped, id=cursor.lastrowid or 0)

    def entries(self, kind: str = "", station: str = "", most: int = 10_000) -> tuple[Entry, ...]:
        """Newest first; all kinds and stations by default."""
        rows = self._connection.execute(
            f"SELECT id, {_FIELDS} FROM entries WHERE (?1='' OR kind=?1) AND (?2='' OR station=?2) "
            "ORDER BY id DESC LIMIT ?3",
            (kind, station, most),
        ).fetchall()
        names = ["id", *_FIELDS.split(", ")]
        return tuple(_entry(dict(zip(names, row, strict=True))) for row in rows)

    def close(self) -> None:
        """Close the file."""
        self._connection.close()


def _entry(row: dict[str, Any]) -> Entry:
    return Entry(**{**row, "data": read_log_data(row["kind"], json.loads(row["data"]))})


def _sentence(path: Path, error: Exception) -> str:
    words = " ".join(str(error).split())
    # The low byte is the primary result code, whatever the extended one says.
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    match code:
        case sqlite3.SQLITE_BUSY | sqlite3.SQLITE_LOCKED:
            return f"the log {path.name} is held by another program: close that; entries wait until it is free"
        case sqlite3.SQLITE_FULL:
            return f"the disk that holds the log {path} is full: make room; entries wait until then"
        case sqlite3.SQLITE_READONLY | sqlite3.SQLITE_PERM | sqlite3.SQLITE_CANTOPEN:
            return f"cannot write the log {path}: check that its folder exists and may be written"
        case sqlite3.SQLITE_NOTADB | sqlite3.SQLITE_CORRUPT:
            return f"{path} is not a logbook or is damaged: move it aside, a new one will be begun"
    if isinstance(error, OSError) and error.errno in (errno.EACCES, errno.EPERM, errno.EROFS, errno.ENOTDIR):
        return f"cannot write the log {path}: check that its folder exists and may be written"
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return f"the disk that holds the log {path} is full: make room; entries wait until then"
    return f"cannot write the log {path}: {words.lower()}"
