"""The demo yard as a person meets it: joined as a yard of their own, kept on request."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.records.left_off_file import LeftOffFile
from yarddial.records.station_file import StationFile
from yarddial.session.log.verdict import log_verdict
from yarddial.ui.main_window import MainWindow
from yarddial.ui.opener import Opener
from yarddial.ui.unkept_sheet import DemoEndSheet
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.finder import Finder
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import LogNotWritten
from yarddial.yard.left_off import LeftOff


def following() -> MainWindow:
    window = Opener.latest
    assert isinstance(window, MainWindow)
    return window


def test_an_untouched_demo_closes_unasked(demo_window: MainWindow) -> None:
    demo_window.session.desk.dial(7.1e6)
    demo_window.close()
    assert not demo_window.isVisible()


def test_the_log_of_the_demo_is_exported_whole(qtbot: QtBot, demo_window: MainWindow, tmp_path: Path) -> None:
    for number in range(3):
        demo_window.session.notes.add(f"note {number}")
    demo_window.fixes.export_log()
    sheet = demo_window.findChild(FileSheet)
    assert sheet is not None
    target = tmp_path / "log.csv"
    sheet.line.setText(str(target))
    sheet.keep()
    qtbot.waitUntil(target.exists)
    text = target.read_text()
    assert all(f"note {number}" in text for number in range(3))


def test_a_demo_is_kept_as_the_persons_own(demo_window: MainWindow) -> None:
    session = demo_window.session
    session.notes.add("the garden gate hums")
    session.desk.dial(7.1e6)
    session.building.set_value("Finch", "entered_ppm", "-12.5")
    assert "until this demo yard is closed" in log_verdict(session.log, is_temporary=True).sentence
    demo_window.close()
    assert demo_window.isVisible()
    demo_window.close()
    (sheet,) = demo_window.findChildren(DemoEndSheet)
    assert "1 entry of the log" in sheet.verdict.text()
    assert "edits of the yard" in sheet.verdict.text()
    sheet.keep.click()
    kept = following()
    assert not demo_window.isVisible()
    kept.session.poll()
    assert not kept.session.file.is_temporary
    assert kept.session.desk.station.dial_hz == pytest.approx(7.1e6)
    assert getattr(kept.session.desk.station.part("Finch"), "entered_ppm") == pytest.approx(-12.5)  # noqa: B009
    (entry,) = kept.session.log.entries(station=kept.session.desk.station.name)
    assert entry.text == "the garden gate hums"
    # Its table is simulated as the demo's was: a hand can still move a plug there.
    assert kept.session.table is not None


def test_a_second_demo_kept_is_a_yard_beside_the_first(demo_window: MainWindow) -> None:
    first = wiring.adopt_demo(demo_window.session)
    second = wiring.adopt_demo(demo_window.session)
    names = [wiring.open_session(path).desk.station.name for path in (first, second)]
    assert names == ["Quillet Lane", "Quillet Lane 2"]


def test_a_demo_that_cannot_be_kept_whole_stays_as_it_is(demo_window: MainWindow) -> None:
    demo_window.session.notes.add("still here")
    wiring.log_path().mkdir(parents=True)
    with pytest.raises(LogNotWritten):
        wiring.adopt_demo(demo_window.session)
    assert list(wiring.data_folder().glob("*.yard.json")) == []
    assert demo_window.session.log.count == 1
    assert demo_window.session.unkept.now() is not None


def test_the_lettering_changes_without_a_restart(demo_window: MainWindow) -> None:
    demo_window.session.notes.add("before")
    demo_window.session.preferences.change(text_scale=1.25)
    demo_window.show_settings()
    sheet = next(sheet for sheet in demo_window.children() if type(sheet).__name__ == "SettingsSheet")
    assert sheet.anew.isVisible()  # type: ignore[attr-defined]
    sheet.anew.click()  # type: ignore[attr-defined]
    larger = following()
    assert not demo_window.isVisible()
    larger.session.poll()
    assert larger.session.file.is_temporary
    assert [entry.text for entry in larger.session.log.entries()] == ["before"]


def test_a_yard_of_ones_own_is_found_as_it_was_left(qtbot: QtBot, demo_window: MainWindow, tmp_path: Path) -> None:
    path = tmp_path / "shed.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    demo_window.opener.open(path)
    evening = following()
    qtbot.waitUntil(lambda: evening.is_furnished)
    evening.session.desk.dial_typed(7.1e6)
    evening.go("Listen")
    evening.session.listening.choose_demodulation("lsb")
    evening.session.listening.set_edges(-2_100.0, -300.0)
    evening.close()
    tomorrow = MainWindow(wiring.open_session(path), wiring.OwnFiles())
    qtbot.addWidget(tomorrow)
    tomorrow.show()
    qtbot.waitUntil(lambda: tomorrow.is_furnished)
    assert tomorrow.stack.shown == "Listen"
    settings = tomorrow.session.listening.settings
    assert (settings.demodulation, settings.low_hz, settings.high_hz) == ("lsb", -2_100.0, -300.0)
    assert tomorrow.session.desk.station.dial_hz == pytest.approx(7.1e6)


@pytest.mark.parametrize(
    "content", [b"", b"{", b'{"place": "Attic"}', b'{"half_span_hz": -1}', b"\xff", b'{"heard": 3}']
)
def test_a_spoilt_memory_counts_as_none(tmp_path: Path, content: bytes) -> None:
    path = tmp_path / "left-off.json"
    path.write_bytes(content)
    assert LeftOffFile(path).read() == LeftOff()


def test_the_rest_of_what_was_typed_into_a_name_starts_nothing(qtbot: QtBot, demo_window: MainWindow) -> None:
    """Return in the name, then "9 m": the card stays open, and no measurement begins."""
    demo_window.activateWindow()
    qtbot.waitActive(demo_window)
    demo_window.open_part("Long wire", "name")
    field = demo_window.focusWidget()
    assert isinstance(field, QLineEdit)
    field.setText("")
    qtbot.keyClicks(field, "Garden wire")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    names = [part.name for part in demo_window.session.desk.station.parts]
    assert "Garden wire" in names
    qtbot.waitUntil(lambda: demo_window.focusWidget() not in (field, None))
    again = demo_window.focusWidget()
    assert isinstance(again, QLineEdit)
    qtbot.waitUntil(again.isVisible)
    for text in "9 m":
        qtbot.keyClicks(demo_window.focusWidget() or demo_window, text)
    assert demo_window.session.calibration.measuring is None
    assert not demo_window.session.live_receiver.wanted


def test_letters_are_no_commands_after_a_field_was_closed(qtbot: QtBot, demo_window: MainWindow) -> None:
    demo_window.activateWindow()
    qtbot.waitActive(demo_window)
    demo_window.open_part("Finch", "name")
    field = demo_window.focusWidget()
    assert isinstance(field, QLineEdit)
    qtbot.waitUntil(field.hasFocus)
    # The part goes while its name is being typed.
    demo_window.session.building.take_out("Finch")
    qtbot.waitUntil(lambda: demo_window.focusWidget() is not field)
    qtbot.keyClicks(demo_window, "m l")
    assert demo_window.session.calibration.measuring is None
    assert not demo_window.session.live_receiver.wanted
    assert "went nowhere" in demo_window.strip.accessibleDescription()
    qtbot.keyClick(demo_window, Qt.Key.Key_Escape)
    qtbot.keyClicks(demo_window, "d")
    assert demo_window.findChildren(Finder)


def test_a_persons_own_file_of_the_demos_name_is_their_own(tmp_path: Path) -> None:
    path = tmp_path / "demo.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    session = wiring.open_session(path)
    session.poll()
    assert not session.file.is_temporary
    session.close()
    assert not (tmp_path / "log.sqlite").exists()
