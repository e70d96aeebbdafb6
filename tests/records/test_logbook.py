"""The logbook: kept is kept, and a log that cannot be written loses nothing."""

import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPlace
from yarddial.records.logbook import Logbook
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.yard.errors import LogNotWritten

# Writes entries as fast as it can and says which are committed.
WRITER = """
import sys
from pathlib import Path
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPlace
from yarddial.records.logbook import Logbook
book = Logbook(Path(sys.argv[1]))
n = 0
while True:
    n += 1
    book.add(Entry(station="s", kind="note", text=f"entry {n}", data=LoggedPlace(n)))
    print(n, flush=True)
"""


def entry(text: str, kind: str = "note") -> Entry:
    return Entry(station="Quillet Lane", kind=kind, text=text, data=LoggedPlace(1.5))


def test_entries_come_back_newest_first_with_number_and_time(tmp_path: Path) -> None:
    book = Logbook(tmp_path / "a" / "log.sqlite")
    book.add(entry("one"))
    kept = book.add(entry("two", "observation"))
    book.close()
    again = Logbook(tmp_path / "a" / "log.sqlite").entries()
    assert [e.text for e in again] == ["two", "one"]
    assert again[0] == kept
    assert again[0].at_utc.endswith("Z")
    assert Logbook(tmp_path / "a" / "log.sqlite").entries(kind="observation") == (kept,)


def test_a_locked_log_says_so_and_takes_the_entry_later(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    keeper = LogKeeper(lambda: Logbook(path))
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    keeper.add(entry("while locked"))
    assert "another program" in keeper.trouble
    assert keeper.waiting == 1
    assert keeper.shown()[0].text == "while locked"
    other.execute("ROLLBACK")
    keeper.retry()
    assert (keeper.trouble, keeper.waiting) == ("", 0)
    assert Logbook(path).entries()[0].text == "while locked"


def test_a_full_disk_says_so_and_keeps_the_entry_in_memory(tmp_path: Path) -> None:
    """SQLite's own page limit stands in for the disk's end: it raises the very same error."""
    path = tmp_path / "log.sqlite"
    book = Logbook(path)
    book._connection.execute("PRAGMA max_page_count=5")
    keeper = LogKeeper(lambda: book)
    for n in range(40):
        keeper.add(entry("x" * 2000 + str(n)))
    assert "full" in keeper.trouble
    assert keeper.waiting > 0
    book._connection.execute("PRAGMA max_page_count=100000")
    keeper.retry()
    assert keeper.waiting == 0
    assert len(Logbook(path).entries()) == 40


@pytest.mark.parametrize(
    "content", [b"this is no database, but long enough to be looked at" * 40, b"SQLite format 3\0" + b"\xff" * 5000]
)
def test_a_file_that_is_no_log_is_left_alone(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "log.sqlite"
    path.write_bytes(content)
    with pytest.raises(LogNotWritten, match="log"):
        Logbook(path)
    assert path.read_bytes() == content


def test_a_folder_that_cannot_be_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    keeper = LogKeeper(lambda: Logbook(tmp_path / "file" / "log.sqlite"))
    keeper.add(entry("kept in memory"))
    assert keeper.waiting == 1
    assert keeper.trouble


def test_a_log_of_a_later_version_is_not_touched(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    Logbook(path).close()
    later = sqlite3.connect(path)
    later.execute("PRAGMA user_version=99")
    later.close()
    with pytest.raises(LogNotWritten, match="newer version"):
        Logbook(path)


def test_every_committed_entry_survives_a_kill(tmp_path: Path) -> None:
    """A few kills here; two hundred in proofs/."""
    path = tmp_path / "log.sqlite"
    committed = 0
    for _ in range(4):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True)
        assert writer.stdout is not None
        writer.stdout.readline()
        time.sleep(0.05)
        writer.send_signal(signal.SIGKILL)
        committed += 1 + sum(1 for line in writer.stdout if line.strip())
        writer.wait()
        entries = Logbook(path).entries()
        # The last one may be committed and not yet said.
        assert committed <= len(entries) <= committed + 1
        committed = len(entries)
