"""What a person sees and does when a file was changed elsewhere, the log is damaged, and names look like markup."""

from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.records.entry import Entry
from yarddial.records.log_copies import LogCopies
from yarddial.records.logbook import Logbook
from yarddial.records.station_file import StationFile, load_station
from yarddial.records.temporary import MARK, clear_dead_folders, temporary_folder
from yarddial.session.finding import Act
from yarddial.session.overview.findings import findings
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.log.restore_sheet import RestoreSheet
from yarddial.ui.start import dressed_application
from yarddial.ui.unkept_sheet import UnkeptSheet
from yarddial.ui.versions_sheet import VersionsSheet
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.tip import set_tip, tip_of
from yarddial.ui.widgets.words import Words
from yarddial.ui.window_actions import window_actions
from yarddial.yard.demo import demo_station


@pytest.fixture
def place(tmp_path: Path) -> Path:
    """The demo yard in a file."""
    path = tmp_path / "my.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    return path


def shown(qtbot: QtBot, path: Path) -> MainWindow:
    dressed_application("day", 1.0)
    window = MainWindow(wiring.open_session(path))
    qtbot.addWidget(window)
    window.show()
    qtbot.waitExposed(window)
    return window


def test_a_person_chooses_between_two_versions_part_by_part(qtbot: QtBot, place: Path) -> None:
    window = shown(qtbot, place)
    other = load_station(place)
    dish = msgspec.structs.replace(other.station.part("Dish"), note="turned by the storm")
    other.save(other.station.with_part(dish))
    window.session.building.set_value("Ladder", "note", "moved")
    qtbot.waitUntil(lambda: window.session.overview.state.findings[0].fix == Act("compare versions"), timeout=20_000)
    window.fixes.fix(window.session.overview.state.findings[0])
    (sheet,) = window.findChildren(VersionsSheet)
    assert sheet.verdict.text() == "2 things differ."
    qtbot.mouseClick(sheet.use, Qt.MouseButton.LeftButton)
    window.session.desk.save_dial(wait=True)
    station = load_station(place).station
    assert (station.part("Dish").note, station.part("Ladder").note) == ("turned by the storm", "moved")
    window.close()


def test_a_damaged_log_is_restored_from_the_window_and_searched(qtbot: QtBot, place: Path) -> None:
    path = wiring.log_path()
    book = Logbook(path)
    for number in range(450):
        book.add(Entry(station="Quillet Lane", kind="note", text=f"weather report {number}"))
    book.close()
    LogCopies(path).make()
    path.write_bytes(b"gone" * 5_000)
    window = shown(qtbot, place)
    qtbot.waitUntil(lambda: window.session.log.is_damaged, timeout=20_000)
    assert any(finding.fix == Act("restore the log") for finding in findings(window.session))
    window.fixes.restore_log()
    (sheet,) = window.findChildren(RestoreSheet)
    qtbot.mouseClick(sheet.restore, Qt.MouseButton.LeftButton)
    assert "450 entries" in sheet.verdict.text()
    sheet.close()
    window.go("Log")
    log = window.log
    assert (log.list.count(), log.older.isVisible()) == (200, True)
    qtbot.mouseClick(log.older, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(log.older, Qt.MouseButton.LeftButton)
    assert (log.list.count(), log.older.isVisible()) == (450, False)
    log.search.setText("weather 44")
    assert [log.list.item(i).text() for i in range(log.list.count())][-1] == "weather report 44"
    assert log.list.count() == 11
    window.close()


def test_a_name_that_looks_like_markup_is_shown_as_it_is_written(qtbot: QtBot) -> None:
    dressed_application("day", 1.0)
    evil = "<img src='/dev/zero'><b>Dish</b>"
    words, button = Words(evil), QPushButton()
    qtbot.addWidget(words)
    qtbot.addWidget(button)
    assert words.textFormat() == Qt.TextFormat.PlainText
    set_tip(button, evil)
    assert "<img" not in button.toolTip()
    assert tip_of(button) == evil


def test_what_killed_programs_left_is_removed_and_nothing_else(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    alive = temporary_folder()
    dead, stranger = tmp_path / "yard-dial-dead", tmp_path / "yard-dial-stranger"
    for folder in (dead, stranger):
        folder.mkdir()
        (folder / "data").write_text("x")
    (dead / MARK).touch()
    assert clear_dead_folders() == 1
    assert (alive.exists(), dead.exists(), stranger.exists()) == (True, False, True)


def test_the_log_is_exported_from_the_menu_and_that_is_said(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    window.session.notes.add("Rain since noon.")
    action = next(one for one in window_actions(window) if one.name == "Export the log")
    action.act()
    sheet = window.findChildren(FileSheet)[-1]
    sheet.line.setText(str(tmp_path / "log.csv"))
    qtbot.keyClick(sheet.line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "1 entry written" in window.strip.accessibleDescription(), timeout=20_000)
    assert "Rain since noon." in (tmp_path / "log.csv").read_text(encoding="utf-8")


def test_a_window_does_not_close_over_work_that_no_file_holds(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    """The log's disk is full: closing asks, and each way out does what it says."""
    session = window.session
    session.poll()
    path = tmp_path / "log.sqlite"
    book = session.log._book
    assert book is not None
    book._connection.execute("PRAGMA max_page_count=1")  # type: ignore[attr-defined]
    session.notes.add("x" * 100_000)
    assert session.log.waiting == 1
    window.close()
    assert window.isVisible()
    (sheet,) = window.findChildren(UnkeptSheet)
    assert "would lose 1 entry of the log" in sheet.verdict.text()
    assert "full" in sheet.why.text()
    qtbot.mouseClick(sheet.again, Qt.MouseButton.LeftButton)
    assert "still not saved" in sheet.said.text()
    qtbot.mouseClick(sheet.copied, Qt.MouseButton.LeftButton)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert "x" * 100_000 in clipboard.text()
    # Leaving the sheet leaves the window.
    sheet.close()
    assert window.isVisible()
    window.close()
    # Asked twice, one sheet answers.
    window.close()
    book._connection.execute("PRAGMA max_page_count=100000")  # type: ignore[attr-defined]
    (sheet,) = [one for one in window.findChildren(UnkeptSheet) if one.isVisible()]
    qtbot.mouseClick(sheet.again, Qt.MouseButton.LeftButton)
    assert not window.isVisible()
    assert Logbook(path).entries()[0].text == "x" * 100_000


def test_only_a_persons_word_throws_work_away(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    session = window.session
    session.poll()
    book = session.log._book
    assert book is not None
    book._connection.execute("PRAGMA max_page_count=1")  # type: ignore[attr-defined]
    session.notes.add("x" * 100_000)
    window.close()
    assert window.isVisible()
    qtbot.mouseClick(window.findChildren(UnkeptSheet)[0].lose, Qt.MouseButton.LeftButton)
    assert not window.isVisible()
