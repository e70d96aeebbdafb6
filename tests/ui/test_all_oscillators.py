"""All oscillators of the demo yard made true by the visible controls, to the end."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet
from yarddial.ui.widgets.words import Words


def test_the_walk_by_its_button_ends_with_all_that_can_be_true(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    qtbot.mouseClick(window.true.everything, Qt.MouseButton.LeftButton)
    sheet = window.findChild(AllOscillatorsSheet)
    assert sheet is not None
    qtbot.waitUntil(lambda: "do the rest" in sheet.headline.text(), timeout=20_000)
    assert not sheet.enter.isEnabled()
    qtbot.mouseClick(sheet.go, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sheet.go.text() == "Stop", timeout=5_000)
    qtbot.waitUntil(lambda: not window.session.oscillator_walk.running, timeout=90_000)
    qtbot.waitUntil(lambda: "Four of five oscillators are true" in sheet.headline.text(), timeout=20_000)

    def said() -> list[str]:
        return [words.text() for words in sheet.findChildren(Words) if words.isVisible()]

    qtbot.waitUntil(lambda: "Finch crystal" in said(), timeout=5_000)
    assert any(text.startswith("its own menu: set −") for text in said())
    assert not sheet.go.isEnabled()
    sheet.close()
