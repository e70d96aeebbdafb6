"""Nothing closes over work that no file holds; the disk vanishes for real here: folders become files."""

import os
import subprocess
from pathlib import Path

import pytest

from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.records.recovery import Recovery
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.waiting_entries import WaitingEntries, entries_in, lines_of
from yarddial.session.session import Session
from yarddial.session.station.building import Building
from yarddial.session.station.saving import BackgroundSave
from yarddial.session.station.station_saver import StationSaver
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import NotWritten


class Disk:
    """A folder that can vanish, as a removable disk does, and come back."""

    def __init__(self, place: Path) -> None:
        self.place, self._away = place, place.with_name(f"{place.name}-away")
        place.mkdir(parents=True)

    def vanish(self) -> None:
        """Nothing can be read or written there."""
        self.place.rename(self._away)
        self.place.write_text("")

    def come_back(self) -> None:
        """As it was."""
        self.place.unlink()
        self._away.rename(self.place)


@pytest.fixture
def disk(tmp_path: Path) -> Disk:
    return Disk(tmp_path / "disk")


def session_on(disk: Disk, *further: Path, durable: int = 1) -> Session:
    path, unsaved = disk.place / "my.yard.json", disk.place / "unsaved"
    if not path.exists():
        StationFile(path, demo_station()).save(demo_station())
    recovery = Recovery(unsaved, *further, durable=durable)
    saver = StationSaver(load_station(path), recovery)
    log = disk.place / "log.sqlite"
    session = Session(
        demo_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(log),
        BackgroundSave(saver.save, saver.check), recovery.find(path), saver=saver,
        waiting_store=lambda: WaitingEntries(log, (unsaved, *further), durable),
    )  # fmt: skip
    session.poll()
    return session


def worked(session: Session) -> None:
    """A note edited, and a note added to the log."""
    Building(session.desk).set_value("Long wire", "note", "the north mast leans")
    session.notes.add("heard the tower at dusk")


def test_a_persons_own_yard_has_folders_for_unsaved_work_and_the_last_lasts_as_long_as_the_computer_runs(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("DATA", "STATE"):
        monkeypatch.setenv(f"XDG_{name}_HOME", str(tmp_path / name))
    monkeypatch.delenv("XDG_RUNTIME_DIR", raising=False)
    lasting = (tmp_path / "DATA" / "yard-dial" / "unsaved", tmp_path / "STATE" / "yard-dial" / "unsaved")
    assert wiring.unsaved_folders() == lasting
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path / "run"))
    assert wiring.unsaved_folders() == (*lasting, tmp_path / "run" / "yard-dial")
    assert len(lasting) == wiring.DURABLE_FOLDERS
    session = wiring.begin_session(tmp_path / "mine.yard.json")
    session.poll()
    assert session.unkept.now() is None
    session.close()


def test_while_everything_is_saved_nothing_is_asked(disk: Disk) -> None:
    session = session_on(disk)
    worked(session)
    assert session.unkept.now() is None
    session.close()


def test_what_no_file_holds_is_told_until_the_disk_is_back(disk: Disk) -> None:
    session = session_on(disk)
    disk.vanish()
    worked(session)
    unkept = session.unkept.now()
    assert unkept is not None
    assert (unkept.edits, unkept.entries) == (True, 1)
    assert unkept.sentence == "Closing now would lose the last edits of the yard and 1 entry of the log."
    assert unkept.why
    disk.come_back()
    assert session.unkept.now() is None
    session.close()
    assert "the north mast leans" in (disk.place / "my.yard.json").read_text()
    assert "heard the tower at dusk" in [entry.text for entry in Logbook(disk.place / "log.sqlite").entries()]


def test_turning_the_dial_alone_is_no_work_to_be_asked_about(disk: Disk) -> None:
    session = session_on(disk)
    disk.vanish()
    session.desk.dial(7.1e6)
    assert session.unkept.now() is None
    session.close()


def test_another_disk_takes_both_and_the_next_session_has_them(disk: Disk, tmp_path: Path) -> None:
    other = tmp_path / "state" / "unsaved"
    session = session_on(disk, other, durable=2)
    disk.vanish()
    worked(session)
    assert session.unkept.now() is None
    session.close()
    disk.come_back()
    # The process that kept them has ended: its number is taken by none.
    (waiting,) = other.glob("waiting-*.jsonl")
    ended = subprocess.Popen(["true"])
    ended.wait()
    waiting.rename(waiting.with_name(f"{waiting.name.rpartition(f'-{os.getpid()}-')[0]}-{ended.pid}-1.jsonl"))
    again = session_on(disk, other, durable=2)
    assert again.log.added_late == 1
    assert [entry.text for entry in again.log.entries()].count("heard the tower at dusk") == 1
    again.file.recover()
    assert again.desk.station.part("Long wire").note == "the north mast leans"
    assert not list(other.glob("waiting-*.jsonl"))
    again.close()
    third = session_on(disk, other, durable=2)
    assert third.log.added_late == 0
    third.close()


def test_a_number_that_is_given_to_another_process_hides_no_entries_and_costs_none(disk: Disk, tmp_path: Path) -> None:
    """Of a process with this one's number, which began at another time: they are read, and not written over."""
    log, folder = disk.place / "log.sqlite", tmp_path / "kept"
    session = session_on(disk)
    worked(session)
    entries = session.log.entries()
    session.close()
    store = WaitingEntries(log, (folder,), 1)
    store.keep(entries[:1])
    (own,) = folder.iterdir()
    assert WaitingEntries(log, (folder,), 1).left() == ()
    before = own.with_name(f"{own.stem.rpartition('-')[0]}-1.jsonl")
    own.rename(before)
    again = WaitingEntries(log, (folder,), 1)
    assert len(again.left()) == 1
    again.keep(entries)
    assert before.exists()


def test_a_log_that_stays_away_is_tried_often_and_its_entries_are_written_once(disk: Disk, tmp_path: Path) -> None:
    other = tmp_path / "state"
    session = session_on(disk, other, durable=2)
    disk.vanish()
    session.notes.add("heard the tower at dusk")
    (waiting,) = other.glob("waiting-*.jsonl")
    written = waiting.stat().st_mtime_ns, waiting.stat().st_ino
    session.log.retry()
    session.log.retry()
    assert (waiting.stat().st_mtime_ns, waiting.stat().st_ino) == written
    session.notes.add("and once more")
    assert waiting.stat().st_ino != written[1]
    session.close()


def test_what_only_the_running_computer_holds_is_asked_about(disk: Disk, tmp_path: Path) -> None:
    session = session_on(disk, tmp_path / "runtime", durable=1)
    disk.vanish()
    worked(session)
    unkept = session.unkept.now()
    assert unkept is not None
    assert (unkept.edits, unkept.entries) == (True, 1)
    # A kill at this moment loses nothing all the same.
    assert list((tmp_path / "runtime").glob("my-*.yard.json"))
    assert list((tmp_path / "runtime").glob("waiting-*.jsonl"))
    session.close()


def test_kept_elsewhere_both_can_be_read_again(disk: Disk, tmp_path: Path) -> None:
    session = session_on(disk)
    disk.vanish()
    worked(session)
    assert session.unkept.now() is not None
    with pytest.raises(NotWritten):
        session.unkept.keep_in(disk.place / "kept.yard.json")
    yard, entries = session.unkept.keep_in(tmp_path / "kept.yard.json")
    assert session.unkept.now() is None
    assert load_station(yard).station.part("Long wire").note == "the north mast leans"
    session.close()
    disk.come_back()
    again = session_on(disk)
    assert again.log.add_from(entries) == 1
    assert again.log.add_from(entries) == 0
    assert "heard the tower at dusk" in [entry.text for entry in again.log.entries()]
    again.close()


def test_what_a_session_opened_is_closed_with_it(disk: Disk, tmp_path: Path) -> None:
    """Descriptors of this process: the log's, the replaced station's, and those of recovery copies."""

    def descriptors() -> int:
        return len(os.listdir("/proc/self/fd"))

    session_on(disk, tmp_path / "other", durable=2).close()
    before = descriptors()
    for _ in range(3):
        session = session_on(disk, tmp_path / "other", durable=2)
        worked(session)
        disk.vanish()
        worked(session)
        worked(session)
        session.desk.finish()
        disk.come_back()
        worked(session)
        session.close()
        # Held here, as an open window would hold it: nothing is left to the collector of garbage.
        held = session
    assert held.unkept is not None
    assert descriptors() <= before


def test_entries_survive_their_lines_and_a_broken_line_costs_itself_alone(disk: Disk) -> None:
    session = session_on(disk)
    worked(session)
    session.notes.add("a second\nline, ünd more")
    entries = session.log.entries()
    session.close()
    lines = lines_of(entries)
    assert [entry.text for entry in entries_in(lines)] == [entry.text for entry in entries]
    assert len(entries_in(lines.replace(b'"kind": "note"', b'"kind": 7', 1))) == len(entries) - 1
    assert entries_in(b"\xff\xfe nothing") == ()
