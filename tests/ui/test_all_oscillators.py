"""All oscillators of the demo yard made true by the visible controls, to the end."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet
from yarddial.ui.widgets.words import PressButton, Words
from yarddial.yard.parts import Transceiver


def test_the_walk_by_its_button_ends_with_all_that_can_be_true(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    qtbot.mouseClick(window.true.everything, Qt.MouseButton.LeftButton)
    sheet = window.findChild(AllOscillatorsSheet)
    assert sheet is not None
    qtbot.waitUntil(lambda: "do the rest" in sheet.headline.text(), timeout=20_000)
    assert not sheet.enter.isEnabled()
    qtbot.mouseClick(sheet.go, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sheet.go.text() == "Stop", timeout=5_000)
    qtbot.waitUntil(lambda: not window.session.calibration_sequence.running, timeout=90_000)
    qtbot.waitUntil(lambda: "All is measured, and not yet entered" in sheet.headline.text(), timeout=20_000)
    qtbot.mouseClick(sheet.enter, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Four of five oscillators are true" in sheet.headline.text(), timeout=20_000)

    def said() -> list[str]:
        return [words.text() for words in sheet.findChildren(Words) if words.isVisible()]

    qtbot.waitUntil(lambda: "Finch crystal" in said(), timeout=5_000)
    assert any(text.startswith("its own menu: set −") for text in said())
    assert not sheet.go.isEnabled()
    # The person sets it in the transceiver's menu and says so: that is the end of the list, and one undo takes it back.
    done = next(b for b in sheet.findChildren(PressButton) if b.text() == "I have set it")
    qtbot.mouseClick(done, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "All five are true" in sheet.headline.text(), timeout=20_000)
    hearth = window.session.desk.station.part("Hearth")
    assert isinstance(hearth, Transceiver)
    assert hearth.rig_ppm.value == 0.0
    assert "set in its menu by −" in hearth.rig_ppm.note
    window.session.undo()
    qtbot.waitUntil(lambda: "Four of five" in sheet.headline.text(), timeout=20_000)
    sheet.close()
