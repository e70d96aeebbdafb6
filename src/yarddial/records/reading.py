"""The only function to read files: regular files within a size limit, refused in one sentence."""

import contextlib
import csv
import json
import os
import select
import stat
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.whole_file import reason
from yarddial.yard.errors import YardDialError
from yarddial.yard.plain_text import from_csv, shown, shown_in

# Longest message that people read.
MAX_LETTERS = 300
# Time limits for a pipe given by the person: until the first byte, and in total.
PIPE_PATIENCE_S, PIPE_LASTS_S = 5.0, 20.0
_BLOCK_BYTES = 1 << 16


class FileKind(msgspec.Struct, frozen=True):
    """Size limits of a kind of file. `what` is its name in a sentence, such as `station`."""

    what: str
    max_bytes: int
    max_rows: int = 0


STATION = FileKind("station", 16 << 20)
PART = FileKind("part", 1 << 20)
BANDS = FileKind("band", 1 << 20, 2_000)
REFERENCES = FileKind("station", 1 << 20, 2_000)
STRONG_SIGNALS_FILE = FileKind("strong signals", 4 << 20, 3_000)
OBSERVATIONS = FileKind("observations", 64 << 20, 100_000)
TOUCHSTONE = FileKind("Touchstone", 8 << 20, 20_001)
# A larger description is data by mistake.
RECORDING_META = FileKind("description", 64 << 20)
LIST_FILE = FileKind("list", 1 << 20)
ENTRIES = FileKind("log entries", 64 << 20)


def _has_come(handle: int, waits_s: float) -> bool:
    """Wait for input; not with `select`, which fails from 1,024 open files on."""
    waiting = select.poll()
    waiting.register(handle, select.POLLIN)
    return bool(waiting.poll(waits_s * 1e3))


def read_bytes(path: Path, kind: FileKind, error: type[YardDialError]) -> bytes:
    """Read a whole file within its kind's limits.

    A pipe or a device is read only where the person named it (`/dev/stdin`, `/dev/fd/63`, as a shell's `<(...)` gives
    it), and at most five silent seconds long.

    Raises
    ------
    error
        One sentence: it is no file, too large, or cannot be read.
    """
    name = shown(path.name) or shown(str(path))
    with _opened(path, kind, error) as (handle, is_file):
        # Read one byte more than allowed, to detect larger files.
        if is_file and not os.fstat(handle).st_size:
            # System files report no size, and some never end.
            return b""
        parts, left, ends_s = [], kind.max_bytes + 1, time.monotonic() + PIPE_LASTS_S
        try:
            while left > 0:
                waits_s = min(PIPE_PATIENCE_S, max(ends_s - time.monotonic(), 0.0))
                if not is_file and not _has_come(handle, waits_s):
                    raise error(f"{name} does not come to its end: give a file")
                part = os.read(handle, min(left, _BLOCK_BYTES))
                if not part:
                    break
                parts.append(part)
                left -= len(part)
        except OSError as failed:
            raise error(f"cannot read {name}: {reason(failed)}") from failed
    if left <= 0:
        raise error(f"{name} has more than {_size(kind.max_bytes)}, which no {kind.what} file has: choose another")
    return b"".join(parts)


def read_text(path: Path, kind: FileKind, error: type[YardDialError]) -> str:
    """Read a UTF-8 text with invisible characters spelled out; raises like `read_bytes`."""
    try:
        text = read_bytes(path, kind, error).decode("utf-8-sig")
    except UnicodeDecodeError as failed:
        raise error(f"cannot read {shown(path.name)}: it is no text in UTF-8; export it again") from failed
    return shown(text.replace("\r\n", "\n").replace("\r", "\n"))


def read_json_value(path: Path, kind: FileKind, error: type[YardDialError]) -> Any:
    """Read a JSON value; raises like `read_bytes`."""
    return json_value_of(read_bytes(path, kind, error), path, error)


def json_value_of(content: bytes, path: Path, error: type[YardDialError]) -> Any:
    """The same for contents that were read already."""
    try:
        return shown_in(json.loads(content, parse_constant=_no_constant))
    except (ValueError, RecursionError) as failed:
        raise error(
            cut(f"{shown(path.name)} is no readable JSON ({one_line_of(failed)}): restore it from a copy")
        ) from failed


def read_rows(
    path: Path, kind: FileKind, columns: tuple[str, ...], error: type[YardDialError]
) -> Iterator[tuple[int, Mapping[str, Any]]]:
    """Rows of a CSV, numbered from 1, as mappings; `columns` are required. Raises like `read_bytes`."""
    name = shown(path.name)
    lines = read_text(path, kind, error).split("\n")
    rows = csv.DictReader(lines, skipinitialspace=True)
    try:
        # Count first, before parsing a hundred thousand rows; a quoted row may span lines, and empty lines do not
        # count.
        if len(lines) > kind.max_rows and sum(map(bool, csv.reader(lines))) > kind.max_rows + 1:
            raise error(f"{name} has more than {kind.max_rows:,} rows: split it, or leave out the oldest")
        missing = [column for column in columns if column not in (rows.fieldnames or [])]
        if missing:
            raise error(f"{name} has no column '{missing[0]}': its first line must name {', '.join(columns)}")
        for number, row in enumerate(rows, 1):
            yield number, {key: from_csv(cell) if isinstance(cell, str) else cell for key, cell in row.items()}
    except csv.Error as failed:
        raise error(cut(f"{name} is no readable CSV: {one_line_of(failed)}")) from failed


def cut(sentence: str, limit: int = MAX_LETTERS) -> str:
    """Shorten a sentence in the middle, so that the advice at its end stays."""
    if len(sentence) <= limit:
        return sentence
    end = limit // 3
    return f"{sentence[: limit - end - 1]}…{sentence[-end:]}"


def one_line_of(error: Exception) -> str:
    """Message of a third-party reader in one line."""
    return shown(" ".join(str(error).split())) or type(error).__name__


@contextlib.contextmanager
def _opened(path: Path, kind: FileKind, error: type[YardDialError]) -> Iterator[tuple[int, bool]]:
    """Open a file and tell whether it is regular; never waits for a pipe."""
    name = shown(str(path))
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as failed:
        reason_words = reason(failed) if isinstance(failed, OSError) else "that is no name of a file"
        raise error(cut(f"cannot read {name}: {reason_words}")) from failed
    try:
        mode = os.fstat(handle).st_mode
        is_file = stat.S_ISREG(mode)
        if not is_file and not (_is_led_in(path) and (stat.S_ISFIFO(mode) or stat.S_ISSOCK(mode))):
            raise error(cut(f"{name} is {_sort_of(mode)}, not a file: choose a {kind.what} file"))
        if is_file and os.fstat(handle).st_size > kind.max_bytes:
            raise error(
                cut(f"{name} has more than {_size(kind.max_bytes)}, which no {kind.what} file has: choose another")
            )
        yield handle, is_file
    finally:
        os.close(handle)


def is_regular(path: Path) -> bool:
    """Return True for a file with contents, or a link to one."""
    try:
        return stat.S_ISREG(path.stat().st_mode)
    except (OSError, ValueError):
        return False


def why_no_file(path: Path) -> str:
    """Describe what something is instead of a recording; empty for a file."""
    try:
        mode = path.stat().st_mode
    except (OSError, ValueError):
        return "not there"
    if not stat.S_ISREG(mode):
        return _sort_of(mode)
    # System files report no size, and some never end.
    return "" if path.stat().st_size else "empty"


def _is_led_in(path: Path) -> bool:
    return str(path) == "/dev/stdin" or str(path).startswith(("/dev/fd/", "/proc/self/fd/"))


def _sort_of(mode: int) -> str:
    for test, sort in (
        (stat.S_ISDIR, "a folder"),
        (stat.S_ISFIFO, "a pipe"),
        (stat.S_ISSOCK, "a socket"),
        (stat.S_ISCHR, "a device"),
        (stat.S_ISBLK, "a disk"),
    ):
        if test(mode):
            return sort
    return "something else"


def _size(count: int) -> str:
    return f"{count >> 20} MB"


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number of JSON")
