"""Listen in the window: a click tunes, the wheel steps, edges are dragged, and leaving gives the receiver back."""

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.listen.chart import ListenChart
from yarddial.ui.places.listen.place import ListenPlace


@pytest.fixture
def listen(qtbot: QtBot, window: MainWindow) -> ListenPlace:
    """The place open, the receiver on and drawing."""
    window.go("Listen")
    found = window.stack.currentWidget()
    assert isinstance(found, ListenPlace)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: found.chart.column_count > 10, timeout=30_000)
    return found


def point(chart: ListenChart, hertz: float) -> QPoint:
    inside, _ = chart._chart()
    return QPointF(inside.center().x(), chart._at(inside, hertz)).toPoint()


def test_pointer_wheel_and_edges_do_what_they_show(qtbot: QtBot, window: MainWindow, listen: ListenPlace) -> None:
    session, chart = window.session, listen.chart
    row_hz = 2 * session.listening.half_span_hz / chart._chart()[0].height()
    qtbot.mouseClick(chart, Qt.MouseButton.LeftButton, pos=point(chart, 9.9969e6))
    assert session.desk.station.dial_hz == pytest.approx(9.9969e6, abs=row_hz)
    qtbot.mouseMove(chart, point(chart, 10.002e6))
    qtbot.waitUntil(lambda: "dBFS" in listen._pointed.text(), timeout=20_000)
    middle = QPointF(point(chart, 10e6))
    for modifier, notches in ((Qt.KeyboardModifier.NoModifier, 1), (Qt.KeyboardModifier.ControlModifier, 1)):
        before = session.desk.station.dial_hz, session.listening.half_span_hz
        turned = QWheelEvent(
            middle, chart.mapToGlobal(middle), QPoint(), QPoint(0, 120 * notches), Qt.MouseButton.NoButton, modifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(chart, turned)
        after = session.desk.station.dial_hz, session.listening.half_span_hz
        assert (after[0] > before[0], after[1] < before[1]) == (notches and not modifier.value, bool(modifier.value))
    qtbot.waitUntil(lambda: chart.edges_hz == (-4_500.0, 4_500.0), timeout=20_000)
    dial_hz = session.desk.station.dial_hz
    qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=point(chart, dial_hz + 4_500.0))
    qtbot.mouseMove(chart, point(chart, dial_hz + 3_000.0))
    qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=point(chart, dial_hz + 3_000.0))
    assert session.listening.settings.high_hz == pytest.approx(3_000.0, abs=2 * row_hz)
    assert session.desk.station.dial_hz == dial_hz


def test_the_verdict_comes_first_and_leaving_gives_the_receiver_back(
    qtbot: QtBot, window: MainWindow, listen: ListenPlace
) -> None:
    qtbot.waitUntil(lambda: "over the noise" in listen.headline.text(), timeout=30_000)
    listen.way.setCurrentIndex(listen.way.findData("usb"))
    listen.way.activated.emit(listen.way.currentIndex())
    assert window.session.desk.station.mode == "ssb"
    # Measuring is True's: the key gives the receiver up.
    window.session.desk.dial(10e6)
    qtbot.keyClick(window, Qt.Key.Key_M)
    assert window.stack.currentWidget() is window.true
    assert window.session.truing.measuring is not None
    assert not window.session.listening.is_open
    look = window.session.reception.look
    assert look is not None
    assert look.look_hz == window.session.desk.line.counted_hz(window.session.desk.station.dial_hz)
    qtbot.waitUntil(lambda: window.true.recorder.column_count > 5, timeout=30_000)
