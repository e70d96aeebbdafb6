"""A stranger's task in a real window, by keyboard alone: from an empty yard to a card for 14.2 MHz over a converter."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.records.station_file import load_station
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.bench.card_sheet import CardSheet
from yarddial.ui.start import dressed_application
from yarddial.ui.widgets.finder import Finder


@pytest.mark.window
def test_from_an_empty_yard_to_a_card_by_keys_alone(qtbot: QtBot, tmp_path: Path) -> None:
    dressed_application("day", 1.0)
    window = MainWindow(wiring.own_session(None), wiring.OwnFiles())
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    qtbot.waitUntil(lambda: window.stack.currentWidget() is not None, timeout=5_000)

    def back_to(front: QWidget) -> None:
        """What a window manager does when a sheet closes or opens; there is none under the virtual display."""
        front.activateWindow()
        qtbot.waitUntil(lambda: QApplication.activeWindow() is front, timeout=20_000)

    def here() -> QWidget:
        """Whatever has the keys; nothing else is ever addressed."""
        return QApplication.focusWidget() or QApplication.activeWindow() or window

    def put_in(text: str) -> None:
        qtbot.keyClick(here(), Qt.Key.Key_A)
        qtbot.waitUntil(
            lambda: bool(window.findChildren(Finder)) and window.findChildren(Finder)[-1].line.hasFocus(),
            timeout=20_000,
        )
        qtbot.keyClicks(here(), text)
        qtbot.keyClick(here(), Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: not any(finder.isVisible() for finder in window.findChildren(Finder)), timeout=20_000)
        back_to(window)

    # Who would rather build by hand leaves the first question.
    qtbot.waitUntil(lambda: window.findChild(FromTheBox) is not None, timeout=20_000)
    asked = window.findChild(FromTheBox)
    assert asked is not None
    qtbot.keyClick(asked, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: window.findChild(FromTheBox) is None, timeout=20_000)
    back_to(window)
    put_in("end-fed")
    put_in("up-converter 125")
    put_in("stick")
    station = window.session.desk.station
    assert station.route_named().parts == ("End-fed wire", "Up-converter 125", "TV-stick receiver")
    assert station.route == "End-fed wire over Up-converter 125"

    qtbot.keyClicks(here(), "/")
    qtbot.waitUntil(window.dial.entry.hasFocus, timeout=20_000)
    qtbot.keyClicks(here(), "14.2 MHz")
    qtbot.keyClick(here(), Qt.Key.Key_Return)
    assert window.session.desk.station.dial_hz == 14.2e6
    assert window.session.desk.route.points()[-1].out_hz == 139.2e6

    qtbot.keyClicks(here(), "c")
    qtbot.waitUntil(lambda: bool(window.findChildren(CardSheet)), timeout=20_000)
    sheet = window.findChildren(CardSheet)[0]
    back_to(sheet)
    for _ in range(40):
        if here().accessibleName().startswith("File for the card"):
            break
        qtbot.keyClick(here(), Qt.Key.Key_Tab)
    qtbot.keyClick(here(), Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClicks(here(), str(tmp_path / "card.md"))
    qtbot.keyClick(here(), Qt.Key.Key_Return)
    card = (tmp_path / "card.md").read_text()
    assert "+125.000 MHz" in card
    assert "14.200 MHz over End-fed wire over Up-converter 125" in card
    assert window.session.log.shown()[0].kind == "card"
    qtbot.keyClick(here(), Qt.Key.Key_Escape)
    path = wiring.data_folder() / "my.yard.json"
    window.close()
    assert load_station(path).station.dial_hz == 14.2e6
    assert load_station(path).station.route == "End-fed wire over Up-converter 125"
