"""Ghosts in the window: the span tested with a button, a peak gone to by a click."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from yarddial.records.recordings import write_sigmf
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.ghosts.antenna_off_sheet import AntennaOffSheet
from yarddial.ui.places.ghosts.expected_list import ExpectedSheet
from yarddial.ui.places.ghosts.interference_sheet import InterferenceSheet
from yarddial.ui.places.ghosts.place import GhostsPlace
from yarddial.ui.places.ghosts.recordings_sheet import RecordingsSheet
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.words import Words
from yarddial.yard.strong import Strong


@pytest.mark.wide
def test_the_span_is_tested_judged_and_clicked(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    window.go("Ghosts")
    place = window.stack.currentWidget()
    assert isinstance(place, GhostsPlace)
    assert "Nothing was tested" in place.headline.text()
    assert not place.test.isEnabled()
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(place.test.isEnabled, timeout=30_000)
    qtbot.mouseClick(place.test, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: place.test.text() == "Stop", timeout=20_000)
    qtbot.waitUntil(lambda: bool(session.span_test.judged), timeout=60_000)
    qtbot.waitUntil(lambda: "ghost" in place.headline.text() or "there" in place.headline.text(), timeout=20_000)
    spike = next(j for j in session.span_test.judged if j.judgement.best.kind == "spike")
    qtbot.waitUntil(lambda: place.test.text() != "Stop", timeout=20_000)
    x = round(place.picture.x_of(spike.peak.dial_hz))
    picture = place.picture.grab().toImage()
    # The mark of a ghost hangs below the scale, where nothing else is drawn.
    colours = {picture.pixelColor(x, y).name() for y in range(picture.height() // 2, picture.height())}
    assert palette().colour("vermilion").name() in colours
    qtbot.mouseClick(place.picture, Qt.MouseButton.LeftButton, pos=QPoint(x, 60))
    assert session.desk.station.dial_hz == spike.peak.dial_hz
    qtbot.waitUntil(lambda: "is a ghost" in place.headline.text(), timeout=20_000)
    # What helps is worked out beside, tried with a click, and kept with another.
    qtbot.waitUntil(lambda: bool(session.mitigation.remedies), timeout=30_000)
    attempt = next(b for b in place.findChildren(QPushButton) if b.accessibleName().startswith("Try it: move the cen"))
    qtbot.waitUntil(attempt.isEnabled, timeout=30_000)
    qtbot.mouseClick(attempt, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.mitigation.trial is not None, timeout=60_000)
    qtbot.waitUntil(place.cured.isVisible, timeout=20_000)
    assert "channel is clean" in place.cures.verdict.text()
    qtbot.mouseClick(place.cures.keep, Qt.MouseButton.LeftButton)
    assert session.mitigation.trial is None
    assert session.desk.undo_label == "remedy"
    # The page does not stand empty: the span is judged anew as it is now.
    qtbot.waitUntil(lambda: bool(session.span_test.judged) and not session.span_test.running, timeout=60_000)
    # Without the antenna is looked at after it was asked for; here it stayed on, which is found.
    qtbot.waitUntil(place.without.isEnabled, timeout=20_000)
    qtbot.mouseClick(place.without, Qt.MouseButton.LeftButton)
    asked = place.findChild(AntennaOffSheet)
    assert asked is not None
    qtbot.mouseClick(asked.confirm, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(session.span_test.not_off), timeout=60_000)


def test_recordings_are_judged_from_a_sheet_and_a_bad_one_is_said_there(
    qtbot: QtBot, window: MainWindow, tmp_path: Path
) -> None:
    noise = np.random.default_rng(1).normal(0, 0.01, (2, 80_000)).astype(np.float32)
    tone = np.exp(2j * np.pi * 0.1 * np.arange(80_000)).astype(np.complex64) * np.float32(0.3)
    samples = noise[0] + 1j * noise[1] + tone
    # The tone keeps its distance from the centre: on the dial it moves as the spike does.
    paths = [write_sigmf(tmp_path / n, [samples], 1e6, hz, {}).path for n, hz in (("a", 10e6), ("b", 10.1e6))]
    window.go("Ghosts")
    place = window.stack.currentWidget()
    assert isinstance(place, GhostsPlace)
    qtbot.mouseClick(place.recordings, Qt.MouseButton.LeftButton)
    sheet = place.findChildren(RecordingsSheet)[0]
    said = next(w for w in sheet.findChildren(Words) if w.accessibleName() == "Refusal")
    sheet.files[0].setText(str(paths[0]))
    qtbot.mouseClick(sheet.judge, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "second one" in said.text(), timeout=20_000)
    sheet.files[1].setText(str(paths[1]))
    qtbot.mouseClick(sheet.judge, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(window.session.span_test.judged), timeout=20_000)
    assert window.session.span_test.judged[0].judgement.verdict == "ghost"


def test_what_is_to_be_expected_is_listed_dialled_and_shown_whole(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    qtbot.waitUntil(lambda: session.log.is_open, timeout=20_000)
    session.strong.keep([Strong(124.3525e6, -28.0, "Harbour tower", 9e3, "Long wire")])
    session.desk.dial(4.3e6)
    window.go("Ghosts")
    place = window.stack.currentWidget()
    assert isinstance(place, GhostsPlace)
    qtbot.waitUntil(place.expected.every.isVisible, timeout=20_000)
    qtbot.mouseClick(place.expected.every, Qt.MouseButton.LeftButton)
    sheet = place.expected.findChildren(ExpectedSheet)[0]
    told = [words.text() for words in sheet.findChildren(Words)]
    assert "leak-through of Harbour tower" in told
    assert "stays" in told
    (leak,) = [ghost for ghost in session.expected_products.ghosts if ghost.kind == "leak-through"]
    go = next(b for b in place.expected.findChildren(QPushButton) if "leak-through" in b.toolTip())
    qtbot.mouseClick(go, Qt.MouseButton.LeftButton)
    assert session.desk.station.dial_hz == leak.dial_hz


@pytest.mark.double_rate
def test_interference_is_hunted_from_a_sheet_step_by_step(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    window.go("Ghosts")
    place = window.stack.currentWidget()
    assert isinstance(place, GhostsPlace)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(place.test.isEnabled, timeout=30_000)
    qtbot.mouseClick(place.search, Qt.MouseButton.LeftButton)
    sheet = place.findChild(InterferenceSheet)
    assert sheet is not None
    assert not sheet.record.isEnabled()
    sheet.rooms.setText("kitchen, shed, kitchen")
    qtbot.keyClick(sheet.rooms, Qt.Key.Key_Return)
    assert session.interference_search.search is not None
    assert session.interference_search.search.rooms == ("kitchen", "shed")
    while session.interference_search.step is not None:
        qtbot.waitUntil(sheet.record.isEnabled, timeout=20_000)
        records = len(session.interference_search.search.results)
        qtbot.mouseClick(sheet.record, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda n=records: len(session.interference_search.search.results) > n, timeout=30_000)  # type: ignore[misc]
    # Nobody took the antenna off.
    qtbot.waitUntil(lambda: "Nothing stands out" in sheet.headline.text(), timeout=20_000)
    sheet.close()
