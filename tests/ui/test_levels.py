"""Levels in the window: a stage swept, the advice used, taken back."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.levels.place import LevelsPlace
from yarddial.ui.widgets.choice import Choice


def test_a_stage_is_swept_and_the_advice_used(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    session.desk.dial(96.2e6)
    session.desk.choose_mode("wfm")
    window.go("Levels")
    place = window.stack.currentWidget()
    assert isinstance(place, LevelsPlace)
    assert not place.sweeps["gain"].isEnabled()
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(place.sweeps["gain"].isEnabled, timeout=30_000)
    qtbot.mouseClick(place.sweeps["gain"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.leveling.advice is not None, timeout=60_000)
    qtbot.waitUntil(place.use.isEnabled, timeout=20_000)
    assert place.headline.text().endswith("dB.")
    assert "Lower gain from 25.5" in place.headline.text()
    qtbot.mouseClick(place.use, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is right at" in place.headline.text(), timeout=20_000)

    def boxes() -> list[Choice]:
        return [c for c in place.findChildren(Choice) if c.accessibleName() == "Gain of gain" and c.isVisible()]

    qtbot.waitUntil(lambda: len(boxes()) == 1, timeout=20_000)
    (box,) = boxes()
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert session.leveling.stages[0].set_db == 0.0
    session.undo()
    session.undo()
    assert session.leveling.stages[0].set_db == 25.5
