"""A log that the last version without tags wrote: every entry is read, and means what it meant."""

import json
import shutil
import sqlite3
from pathlib import Path

import msgspec
import pytest

from yarddial.records import log_data
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedLater, LoggedObservation, LoggedObservations, log_builtins
from yarddial.records.logbook import Logbook
from yarddial.yard.observation import CrystalAndClock, Observation, OneCrystal, SamplingOnly

OLD = Path(__file__).parent / "files" / "log-of-version-1.sqlite"
# Keys of observations that have another shape now.
RESHAPED = {"centre_hz"}


@pytest.fixture
def book(tmp_path: Path) -> Logbook:
    shutil.copy(OLD, tmp_path / "log.sqlite")
    return Logbook(tmp_path / "log.sqlite")


def raw_data() -> dict[int, dict[str, object]]:
    with sqlite3.connect(OLD) as connection:
        return {number: json.loads(data) for number, data in connection.execute("SELECT id, data FROM entries")}


def test_every_kind_of_entry_is_read_into_its_own_shape(book: Logbook) -> None:
    entries = book.entries()
    assert len({entry.kind for entry in entries}) >= 14
    assert [entry for entry in entries if isinstance(entry.data, LoggedLater)] == []


def test_no_number_of_an_old_entry_is_lost(book: Logbook) -> None:
    raw = raw_data()
    for entry in book.entries():
        now, missing = leaves(log_builtins(entry.data)), leaves(raw[entry.id])
        for leaf in now:
            if leaf in missing:
                missing.remove(leaf)
        assert missing == [], entry.kind


def leaves(value: object) -> list[str]:
    """All numbers and texts in it, whatever they are called."""
    if isinstance(value, dict):
        return [leaf for key, inner in value.items() if key not in RESHAPED for leaf in leaves(inner)]
    if isinstance(value, list | tuple):
        return [leaf for inner in value for leaf in leaves(inner)]
    return [] if value in (None, "", 0, False, True) else [repr(value)]


def test_observations_tell_of_what_they_told_of(book: Logbook) -> None:
    seen = [entry.data.observation for entry in book.entries() if isinstance(entry.data, LoggedObservation)]
    assert {type(one.tells_of) for one in seen} <= {OneCrystal, CrystalAndClock, SamplingOnly}
    assert all(one.shares == f"{one.reference_name} at {one.reference_hz!r} Hz" for one in seen)
    (several,) = [entry.data for entry in book.entries() if isinstance(entry.data, LoggedObservations)]
    assert several.more == {"raster_hz": 9000.0}


@pytest.mark.parametrize(
    ("centre_hz", "tells_of"),
    [(None, OneCrystal()), (0.0, SamplingOnly()), (144.3e6, CrystalAndClock(144.3e6))],
)
def test_the_three_meanings_of_a_centre_are_told_apart(centre_hz: float | None, tells_of: msgspec.Struct) -> None:
    raw = {"receiver": "Finch", "reference_hz": 1e7, "reference_sigma_hz": 0.3, "dial_hz": 1e7, "sigma_hz": 0.1}
    told = log_data.read_log_data("observation", {"observation": raw | {"centre_hz": centre_hz}})
    assert isinstance(told, LoggedObservation)
    assert told.observation == Observation("Finch", 1e7, 0.3, 1e7, 0.1, tells_of=tells_of)  # type: ignore[arg-type]


def test_what_a_later_version_wrote_is_kept_as_it_is(tmp_path: Path) -> None:
    later = {"type": "of another day", "what": [1, 2]}
    told = log_data.read_log_data("something new", later)
    assert isinstance(told, LoggedLater)
    book = Logbook(tmp_path / "log.sqlite")
    book.add(Entry(station="s", kind="something new", text="t", data=told))
    assert log_builtins(book.entries()[0].data) == later
