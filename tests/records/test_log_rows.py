"""A log that distrusts its rows: each is read for itself, damage is said, and a copy can be put in its place."""

import json
import sqlite3
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from slow_yards import slow_station
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.entry import Entry
from yarddial.records.log_copies import MAX_COPIES, LogCopies
from yarddial.records.log_data import LoggedObservation
from yarddial.records.logbook import Logbook
from yarddial.session.finding import Act
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.errors import LogDamaged
from yarddial.yard.observation import Observation

YARD = "Quillet Lane"


def seen(hertz: float = 96.2e6) -> LoggedObservation:
    """A station measured over no converter, the crystal 27 ppm fast."""
    observation = Observation("Finch", hertz, 1.0, hertz / (1 + 27e-6), 0.1, (), reference_name="Harbour 96")
    return LoggedObservation(observation, {"crystal:Finch": (27.0, 0.01)})


def spoil(path: Path, **columns: object) -> None:
    """Change the latest row behind the program's back."""
    with sqlite3.connect(path) as other:
        other.execute("DROP TRIGGER entry_removed")
        for name, value in columns.items():
            other.execute(f"UPDATE entries SET {name}=? WHERE id=(SELECT max(id) FROM entries)", (value,))
    other.close()


GOOD = json.loads('{"type":"observation","observation":{"receiver":"Finch","reference_hz":1e6}}')
ODD = {
    "data null": {"data": "null"},
    "data a list": {"data": "[1]"},
    "a misshapen observation": {"data": json.dumps(GOOD)},
    "an observation of version 1 without a frequency": {"data": '{"observation": {"receiver": "Finch"}}'},
    "observations that are a number": {"data": '{"observations": 7}'},
    "bad JSON": {"data": "{"},
    "deep JSON": {"data": "[" * 5_000},
    "NaN": {"data": '{"type":"observation","observation":NaN}'},
    "yesterday": {"at_utc": "yesterday"},
    "the year 99999": {"at_utc": "99999-01-01T00:00:00Z"},
    "no time": {"at_utc": ""},
    "a time that is a number": {"at_utc": b"\x00\xff"},
    "a warmth in words": {"temperature_c": "warm"},
    "a text that is no text": {"text": b"\xff\xfe"},
    "an oscillator of words": {"data": '{"type":"nothing","oscillators":{"crystal:Finch":["x",1]}}', "kind": "note"},
}


@pytest.mark.parametrize("what", ODD)
def test_one_odd_row_spoils_no_other(tmp_path: Path, what: str) -> None:
    """The session polls, knows what the good rows tell, and says what it left out."""
    path = tmp_path / "log.sqlite"
    book = Logbook(path)
    book.add(Entry(station=YARD, kind="observation", text="good", data=seen()))
    book.add(Entry(station=YARD, kind="observation", text="odd", data=seen(101e6)))
    book.close()
    spoil(path, **ODD[what])
    session = Session(slow_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(path))
    for _ in range(20):
        session.poll()
    assert len(session.calibration.oscillator_estimates.observations) == 1
    assert "crystal:Finch" in session.calibration.oscillator_estimates.histories
    assert "good" in [entry.text for entry in session.log.shown()]
    session.board.rows()
    if what != "an oscillator of words":
        told = next(finding for finding in findings(session) if finding.fix == Act("export unreadable"))
        assert "1 of 2 entries cannot be read" in told.what
        assert session.log.export_unreadable(tmp_path / "odd.jsonl") == 1
        assert json.loads((tmp_path / "odd.jsonl").read_text())["id"] == 2
    session.close()


def test_a_missing_column_and_overwritten_pages_are_said_and_a_copy_is_put_in_their_place(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    book = Logbook(path)
    for number in range(300):
        book.add(Entry(station=YARD, kind="note", text=f"entry {number} " + "x" * 300))
    book.close()
    assert LogCopies(path).make() is not None
    book = Logbook(path)
    book.add(Entry(station=YARD, kind="note", text="after the copy"))
    book.close()
    data = bytearray(path.read_bytes())
    # A page in the middle of the table: its rows are gone, those before and after can be read.
    data[20 * 4096 : 21 * 4096] = b"\xa5" * 4096
    path.write_bytes(data)
    keeper = LogKeeper(lambda: Logbook(path))
    keeper.open()
    keeper.shown(limit=10_000)
    assert keeper.is_damaged
    keeper.add(Entry(station=YARD, kind="note", text="written after the damage"))
    done = keeper.restore()
    assert (done.entries, done.copy[:4]) == (300, "log-")
    assert not keeper.is_damaged
    texts = [entry.text for entry in keeper.shown(limit=10_000)]
    assert {"written after the damage", "entry 0 " + "x" * 300} <= set(texts)
    assert (tmp_path / done.aside).exists()
    with sqlite3.connect(path) as other:
        other.execute("ALTER TABLE entries RENAME COLUMN at_utc TO spoken_at")
    other.close()
    again = LogKeeper(lambda: Logbook(path))
    again.open()
    again.entries("note", YARD)
    assert again.trouble


def test_a_log_that_is_deleted_or_replaced_while_it_is_open_loses_nothing(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    keeper = LogKeeper(lambda: Logbook(path))
    keeper.add(Entry(station=YARD, kind="note", text="one"))
    for file in tmp_path.glob("log.sqlite*"):
        file.unlink()
    keeper.add(Entry(station=YARD, kind="note", text="two"))
    assert "deleted" in keeper.remark
    assert [entry.text for entry in Logbook(path).entries()] == ["two", "one"]
    other = Logbook(tmp_path / "other.sqlite")
    other.add(Entry(station=YARD, kind="note", text="of a copy"))
    other.close()
    (tmp_path / "other.sqlite").rename(path)
    keeper.add(Entry(station=YARD, kind="note", text="three"))
    assert [entry.text for entry in Logbook(path).entries()] == ["three", "two", "one", "of a copy"]
    (aside,) = tmp_path.glob("log-before-*.sqlite")
    assert [entry.text for entry in Logbook(aside).entries()] == ["two", "one"]


def test_ten_thousand_notes_of_another_yard_hide_nothing_of_this_one(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    book = Logbook(path)
    book.add(Entry(station=YARD, kind="observation", text="measured", data=seen()))
    book._connection.execute("BEGIN")
    for number in range(10_500):
        book.add(Entry(station="Elsewhere", kind="note", text=f"note {number}"))
    book._connection.execute("COMMIT")
    book.close()
    session = Session(slow_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(path))
    session.poll()
    assert len(session.calibration.oscillator_estimates.observations) == 1
    assert session.log.count == 10_501
    assert [entry.text for entry in session.log.shown(words="measured Harbour")] == []
    assert [entry.text for entry in session.log.shown(words="measur")] == ["measured"]
    assert len(session.log.shown()) == 200
    session.close()


def test_copies_are_made_daily_and_seven_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "log.sqlite"
    book, copies = Logbook(path), LogCopies(path)
    begun = datetime(2026, 11, 27, tzinfo=UTC)
    for day in range(MAX_COPIES + 3):
        now = begun + timedelta(days=day)
        monkeypatch.setattr(clock, "_source", lambda now=now: now)
        book.add(Entry(station=YARD, kind="note", text=f"day {day}"))
        assert copies.make() is not None
        assert copies.make() is None
    assert len(copies.all()) == MAX_COPIES
    newest = Logbook(copies.all()[0]).entries()
    assert len(newest) == MAX_COPIES + 3


def test_a_note_of_any_text_is_kept_and_blocks_nothing(tmp_path: Path) -> None:
    keeper = LogKeeper(lambda: Logbook(tmp_path / "log.sqlite"))
    keeper.add(Entry(station=YARD, kind="note", text="half a pair \ud800, turned \u202e"))
    keeper.add(Entry(station="\udcdf", kind="note", text="after it"))
    assert keeper.waiting == 0
    assert [entry.text for entry in keeper.shown()] == ["after it", "half a pair ⟨U+D800⟩, turned ⟨U+202E⟩"]


def test_what_is_no_database_is_said_to_be_damage(tmp_path: Path) -> None:
    path = tmp_path / "log.sqlite"
    path.write_bytes(b"no database" * 1_000)
    with pytest.raises(LogDamaged):
        Logbook(path)
    keeper = LogKeeper(lambda: Logbook(path))
    keeper.add(Entry(station=YARD, kind="note", text="waits"))
    assert keeper.is_damaged
    keeper.restore()
    assert [entry.text for entry in keeper.shown()] == ["waits"]
