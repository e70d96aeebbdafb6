"""Bands in the window: the board, its order, and going there."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.bands.band_row import BandRowWidget
from yarddial.ui.places.bands.own_bands_sheet import OwnBandsSheet
from yarddial.ui.places.bands.place import BandsPlace
from yarddial.yard.errors import NotWritten


def test_the_board_shows_all_bands_and_a_click_goes_where_the_next_thing_is_done(
    qtbot: QtBot, window: MainWindow
) -> None:
    session = window.session
    window.go("Bands")
    place = window.stack.currentWidget()
    assert isinstance(place, BandsPlace)
    bands = session.desk.station.bands
    qtbot.waitUntil(lambda: len(place.findChildren(BandRowWidget)) == len(bands), timeout=20_000)
    assert "bands are reachable" in place.headline.text()
    place.region.setCurrentIndex(1)
    place.region.activated.emit(1)
    qtbot.waitUntil(lambda: any("1.705 MHz" in format(r.row.band.high_hz / 1e6, ".3f") + " MHz" for r in
                                place.findChildren(BandRowWidget)), timeout=20_000)  # fmt: skip
    assert session.desk.station.region == 2
    # The dial's scale and Span follow: medium wave goes up to 1.705 MHz here.
    session.desk.dial(1.65e6)
    assert "medium wave" in [band.name for band in session.span_planner.bands()]
    qtbot.waitUntil(lambda: any(b.high_hz == 1.705e6 for b in window.dial.rule.bands), timeout=20_000)
    place.order.setCurrentIndex(1)
    place.order.activated.emit(1)

    def seen() -> list[BandRowWidget]:
        return sorted((r for r in place.findChildren(BandRowWidget) if r.isVisible()), key=lambda r: r.y())

    qtbot.waitUntil(lambda: bool(seen()) and seen()[-1].y() > 0, timeout=20_000)
    shown = seen()
    assert [r.row.trouble for r in shown] == sorted(r.row.trouble for r in shown)
    two = next(r for r in shown if r.row.band.name == "2 m")
    qtbot.mouseClick(two, Qt.MouseButton.LeftButton)
    assert session.desk.station.dial_hz == 145.2e6
    # Nothing was measured yet, so True is where to go.
    assert window.stack.currentWidget() is window.stack.place("True")


def test_the_bands_are_proven_from_the_window_stopped_and_reported(
    qtbot: QtBot, window: MainWindow, tmp_path: Path
) -> None:
    window.go("Bands")
    place, run = window.stack.currentWidget(), window.session.band_run
    assert isinstance(place, BandsPlace)
    qtbot.waitUntil(lambda: place.prove.text() == "Prove all" and place.prove.isEnabled(), timeout=20_000)
    qtbot.mouseClick(place.prove, Qt.MouseButton.LeftButton)
    assert run.running
    qtbot.waitUntil(lambda: place.prove.text() == "Stop", timeout=20_000)
    qtbot.mouseClick(place.prove, Qt.MouseButton.LeftButton)
    assert not run.running
    qtbot.waitUntil(lambda: place.prove.text() == "Go on with the run", timeout=20_000)
    for name, begins in (("a.pdf", b"%PDF"), ("a.html", b"<!DOCTYPE"), ("a.md", b"# "), ("a.csv", b"band,")):
        place.write_report(tmp_path / name)
        assert (tmp_path / name).read_bytes().startswith(begins)
    with pytest.raises(NotWritten, match="ending"):
        place.write_report(tmp_path / "a.doc")


def test_a_band_of_ones_own_is_typed_refused_kept_and_taken_out(qtbot: QtBot, window: MainWindow) -> None:
    window.go("Bands")
    place = window.stack.currentWidget()
    assert isinstance(place, BandsPlace)
    qtbot.mouseClick(place.read, Qt.MouseButton.LeftButton)
    sheet = place.findChildren(OwnBandsSheet)[0]
    qtbot.keyClicks(sheet.name, "harbour")
    qtbot.keyClicks(sheet.low, "157.5M")
    qtbot.keyClicks(sheet.high, "156.3M")
    qtbot.keyClick(sheet.high, Qt.Key.Key_Return)
    assert "lower first" in sheet.said.text()
    sheet.low.setText("156.3 MHz")
    sheet.high.setText("157.5 MHz")
    sheet.mode.setCurrentIndex(sheet.mode.findData("nfm"))
    qtbot.keyClick(sheet.low, Qt.Key.Key_Return)
    assert sheet.said.text() == ""
    assert [(b.name, b.low_hz, b.high_hz, b.mode_key) for b in window.session.board.own] == [
        ("harbour", 156.3e6, 157.5e6, "nfm")
    ]
    qtbot.waitUntil(
        lambda: any(r.row.band.name == "harbour" for r in place.findChildren(BandRowWidget)), timeout=20_000
    )
    drop = next(b for b in sheet.findChildren(QPushButton) if b.text() == "Take out")
    qtbot.mouseClick(drop, Qt.MouseButton.LeftButton)
    assert window.session.board.own == ()


@pytest.mark.parametrize("height", [700, 733, 800, 1_111])
def test_the_last_row_of_the_list_is_whole(qtbot: QtBot, window: MainWindow, height: int) -> None:
    place = window.open_place("Bands")
    assert isinstance(place, BandsPlace)
    window.resize(1280, height)
    qtbot.waitUntil(lambda: len(place.findChildren(BandRowWidget)) > 20, timeout=20_000)
    bar, viewport = place.list_area.verticalScrollBar(), place.list_area.viewport()
    assert bar is not None
    assert viewport is not None
    for value in (0, bar.maximum() // 3, bar.maximum()):
        bar.setValue(value)
        qtbot.wait(20)
        for row in place.findChildren(BandRowWidget):
            top = row.mapTo(viewport, QPoint(0, 0)).y()
            is_seen = top < viewport.height() and top + row.height() > 0
            assert not is_seen or (top >= 0 and top + row.height() <= viewport.height())
