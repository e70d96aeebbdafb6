"""A part is tried in the window: the yard stays as it is until the person takes it over, and undo takes that back."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.trial_sheet import TrialSheet


def test_a_part_is_tried_taken_over_and_taken_back(qtbot: QtBot, window: MainWindow) -> None:
    desk = window.session.desk
    before = desk.station
    window.fixes.try_part()
    sheet = window.findChild(TrialSheet)
    assert sheet is not None
    sheet.part.setCurrentIndex(sheet.part.findText("Attenuator 20 dB, in the line"))
    sheet._fill_places()
    sheet.place.setCurrentIndex(sheet.place.findText("put into Discone direct"))
    qtbot.keyClicks(sheet.cost, "a lot")
    qtbot.mouseClick(sheet.add, Qt.MouseButton.LeftButton)
    assert "no cost" in sheet.headline.text()
    sheet.cost.setText("12,50")
    qtbot.mouseClick(sheet.add, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "change:" in sheet.headline.text(), timeout=20_000)
    assert "worse" in sheet.headline.text()
    assert "Together 12.5" in sheet.added.text()
    assert desk.station == before
    qtbot.mouseClick(sheet.take, Qt.MouseButton.LeftButton)
    assert "Attenuator 20 dB" in desk.station.route_named("Discone direct").parts
    window.session.undo()
    assert desk.station == before
