"""Saving in the background, edits kept when the disk fails, recent files, and how sessions are opened."""

import os
import threading
from pathlib import Path

import pytest

from yarddial import wiring
from yarddial.records.recent import RecentFiles
from yarddial.records.recovery import Recovery
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.whole_file import take_leftovers
from yarddial.session.finding import Act
from yarddial.session.overview.findings import findings
from yarddial.session.station.building import Building
from yarddial.session.station.desk import Desk
from yarddial.session.station.saving import BackgroundSave
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.station import Station


def test_an_edit_waits_for_the_save_before_it_so_that_only_the_last_can_be_missing() -> None:
    saved: list[str] = []
    slow = threading.Event()

    def save(station: Station) -> None:
        slow.wait(0.05)
        saved.append(station.name)

    background = BackgroundSave(save)
    for name in "abcd":
        background.save(Station(name))
        assert len(saved) >= "abcd".index(name)
    background.settle()
    assert saved == list("abcd")


def test_a_failed_save_is_said_with_the_next_chance_and_tried_again() -> None:
    full = [True]

    def save(_: Station) -> None:
        if full[0]:
            raise NotWritten("the disk is full")

    desk = Desk(demo_station(), BackgroundSave(save))
    Building(desk).set_value("Long wire", "note", "new")
    desk.save_dial(wait=True)
    assert desk.save_trouble == "the disk is full"
    full[0] = False
    desk.save_dial(wait=True)
    desk.save_dial(wait=True)
    assert desk.save_trouble == ""


def test_edits_that_cannot_be_saved_are_kept_and_offered_the_next_time(tmp_path: Path) -> None:
    path = tmp_path / "yard" / "my.yard.json"
    path.parent.mkdir()
    StationFile(path, demo_station()).save(demo_station())
    session = wiring.open_session(path)
    path.parent.rename(tmp_path / "elsewhere")
    session.building.set_value("Long wire", "note", "put up again")
    session.desk.save_dial(wait=True)
    assert "kept as" in session.desk.save_trouble
    session.close()
    (tmp_path / "elsewhere").rename(path.parent)
    again = wiring.open_session(path)
    assert again.desk.station.part("Long wire").note == "31 m, end-fed"
    offered = next(finding for finding in findings(again) if finding.fix == Act("recover"))
    assert "could not be saved" in offered.what
    again.file.recover()
    assert again.desk.station.part("Long wire").note == "put up again"
    assert again.desk.undo_label == "recovered edits"
    again.close()
    assert load_station(path).station.part("Long wire").note == "put up again"
    third = wiring.open_session(path)
    assert third.file.recovered is None
    third.close()


def test_recent_files_stand_latest_first_and_rubbish_counts_as_none(tmp_path: Path) -> None:
    recent = RecentFiles(tmp_path / "data" / "recent.json")
    for name in ("a", "b", "a"):
        (tmp_path / name).touch()
        recent.add(tmp_path / name)
    assert [path.name for path in recent.paths()] == ["a", "b"]
    (tmp_path / "b").unlink()
    assert [path.name for path in recent.paths()] == ["a"]
    (tmp_path / "data" / "recent.json").write_text("{not json")
    assert recent.paths() == ()


def test_a_person_begins_with_an_empty_yard_and_finds_it_again(tmp_path: Path) -> None:
    first = wiring.own_session(None)
    assert (first.desk.station.name, first.desk.station.routes) == ("My yard", ())
    first.building.add(demo_station().part("Long wire"))
    first.close()
    assert [part.name for part in wiring.own_session(None).desk.station.parts] == ["Long wire"]
    begun = wiring.OwnFiles().begin(tmp_path / "sea-loft.json")
    assert begun.desk.station.name == "Sea loft"
    begun.close()
    assert (tmp_path / "sea-loft.yard.json").exists()
    assert (tmp_path / "sea-loft.yard.json").resolve() in wiring.OwnFiles().recent()
    with pytest.raises(BadStation):
        wiring.OwnFiles().open(tmp_path / "nothing.yard.json")


def test_what_a_killed_writer_left_is_cleared_but_not_what_is_being_written(tmp_path: Path) -> None:
    path = tmp_path / "x.yard.json"
    old, new = tmp_path / ".x.yard.json.abc.yard-dial-new", tmp_path / ".x.yard.json.def.yard-dial-new"
    old.touch()
    new.touch()
    os.utime(old, (1, 1))
    assert take_leftovers(path) == ()
    assert not old.exists()
    assert new.exists()
    assert Recovery(tmp_path / "none").find(path) is None
