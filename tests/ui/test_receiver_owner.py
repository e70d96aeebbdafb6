"""Who has the receiver: always in the same place, with a way to stop it; and what the keys do meanwhile."""

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.session.receiver.picture import DIAL_HALF_SPANS_HZ, next_half_span_hz
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet


def test_who_has_the_receiver_is_shown_and_stopped_in_one_place(qtbot: QtBot, window: MainWindow) -> None:
    owner, session = window.places.owner, window.session
    assert owner.label.text() == "Receiver: off"
    assert not owner.stop.isVisible()
    session.calibration.measure(60.0)
    qtbot.waitUntil(lambda: owner.label.text() == "A measurement", timeout=20_000)
    window.go("Listen")
    qtbot.waitUntil(lambda: "Listen waits" in owner.label.toolTip(), timeout=20_000)
    qtbot.mouseClick(owner.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: owner.label.text() == "Listen", timeout=20_000)
    assert session.calibration.measuring is None
    assert not owner.stop.isVisible()


def test_plus_zooms_wherever_listen_left_the_picture(qtbot: QtBot, window: MainWindow) -> None:
    """Listen at +-20 kHz, then the dial out of reach, back to True, and a zoom."""
    window.go("Listen")
    window.session.listening.half_span_hz = 2e4
    window.session.live_receiver.picture.show(2e4)
    window.session.desk.dial(1.12e9)
    window.go("True")
    qtbot.keyClick(window, "+")
    assert window.session.live_receiver.picture.half_span_hz in DIAL_HALF_SPANS_HZ


@pytest.mark.parametrize("now_hz", [1.0, 20_000.0, 30_000.0, 1e9])
def test_the_next_zoom_is_one_of_those_there_are(now_hz: float) -> None:
    for steps in (-20, -1, 1, 20):
        assert next_half_span_hz(now_hz, steps, DIAL_HALF_SPANS_HZ) in DIAL_HALF_SPANS_HZ


@pytest.mark.parametrize("way", ["close", "reject"])
def test_which_oscillator_can_be_left_while_it_looks_and_opened_again(
    qtbot: QtBot, window: MainWindow, way: str
) -> None:
    for _ in range(2):
        window.go("Bench")
        window.bench.show_which_lo()
        sheet = next(one for one in window.findChildren(WhichLoSheet) if one.isVisible())
        sheet.scan()
        qtbot.waitUntil(lambda: window.session.lo_leak_scan.running, timeout=20_000)
        getattr(sheet, way)()
        qtbot.wait(50)
        assert not window.session.lo_leak_scan.running
    assert window.session.faults.count == 0
