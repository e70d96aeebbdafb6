"""Controls stay under the pointer whatever notes come and go."""

from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QAbstractButton, QCheckBox, QWidget
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.listen.place import ListenPlace
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet


def places_of(inside: QWidget, ground: QWidget) -> dict[QAbstractButton, QRect]:
    """Where each visible button stands on a ground."""
    return {
        control: QRect(control.mapTo(ground, QPoint(0, 0)), control.size())
        for control in inside.findChildren(QAbstractButton)
        if control.isVisible() and not isinstance(control, QCheckBox)
    }


def moved(before: dict[QAbstractButton, QRect], after: dict[QAbstractButton, QRect]) -> list[str]:
    return [
        f"{control.accessibleName() or control.text()}: {place} to {after[control]}"
        for control, place in before.items()
        if control in after and after[control] != place
    ]


def test_the_actions_of_true_stay_when_notes_wrap(qtbot: QtBot, window: MainWindow) -> None:
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    place = window.true
    row: tuple[QAbstractButton, ...] = (place.measure, place.apply, place.verify, place.everything)
    before = {control: control.geometry() for control in row}
    session = window.session
    acts: tuple[Callable[[], object], ...] = (
        lambda: session.desk.dial(5e6), lambda: session.desk.dial(6.3e6), lambda: session.desk.dial(10e6),
        session.calibration.measure, session.calibration.apply, session.undo, lambda: session.desk.dial(5e9),
    )  # fmt: skip
    for act in acts:
        act()
        qtbot.waitUntil(lambda: session.calibration.measuring is None, timeout=20_000)
        qtbot.wait(50)
        assert moved(before, {control: control.geometry() for control in row}) == []


@pytest.mark.parametrize("text", ["", "short", "a long sentence that needs more room than a line has, twice over " * 2])
def test_the_recorders_buttons_stay_when_it_records(qtbot: QtBot, window: MainWindow, text: str) -> None:
    place = window.open_place("Listen")
    assert isinstance(place, ListenPlace)
    qtbot.waitUntil(place.isVisible)
    row = place.kept
    qtbot.wait(50)
    before = places_of(row, row)
    row.sound.setText("Stop recording")
    row.said.setText(text)
    qtbot.wait(50)
    assert moved(before, places_of(row, row)) == []


def test_the_actions_of_all_oscillators_keep_their_place_through_the_whole_walk(
    qtbot: QtBot, window: MainWindow
) -> None:
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    qtbot.mouseClick(window.true.everything, Qt.MouseButton.LeftButton)
    sheet = window.findChild(AllOscillatorsSheet)
    assert sheet is not None
    qtbot.waitUntil(lambda: "do the rest" in sheet.headline.text(), timeout=20_000)
    row = (sheet.go, sheet.skip, sheet.plug, sheet.enter)
    before = {control: control.geometry() for control in row}
    sheet.go.click()
    qtbot.waitUntil(lambda: sheet.go.text() == "Stop", timeout=20_000)
    assert moved(before, {control: control.geometry() for control in row}) == []
    sheet.go.click()
    qtbot.waitUntil(lambda: sheet.go.text() != "Stop", timeout=20_000)
    assert moved(before, {control: control.geometry() for control in row}) == []
    sheet.close()
