"""Listen in the window: a click tunes, the wheel steps, edges are dragged, and leaving gives the receiver back."""

from pathlib import Path

import msgspec
import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from yarddial.session.listening.reception_check import STEPS
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.listen.chart import ListenChart, dragged_edges
from yarddial.ui.places.listen.comparison_sheet import ComparisonSheet
from yarddial.ui.places.listen.place import ListenPlace
from yarddial.ui.places.listen.reception_check_sheet import ReceptionCheckSheet
from yarddial.ui.places.listen.two_recordings_sheet import TwoRecordingsSheet
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.yard.errors import BadLevel


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
    inside, _ = chart.areas()
    return QPointF(inside.center().x(), chart.place_at(inside, hertz)).toPoint()


def test_pointer_wheel_and_edges_do_what_they_show(qtbot: QtBot, window: MainWindow, listen: ListenPlace) -> None:
    session, chart = window.session, listen.chart
    row_hz = 2 * session.listening.half_span_hz / chart.areas()[0].height()
    qtbot.mouseClick(chart, Qt.MouseButton.LeftButton, pos=point(chart, 9.9969e6))
    assert session.desk.station.dial_hz == pytest.approx(9.9969e6, abs=row_hz)
    qtbot.mouseMove(chart, point(chart, 10.002e6))
    qtbot.waitUntil(lambda: "dBFS" in listen.pointed.text(), timeout=20_000)
    inside, axis = QPointF(point(chart, 10e6)), QPointF(10, point(chart, 10e6).y())
    plain, shift = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
    # Over the picture the wheel belongs to the page that scrolls.
    for middle, modifier, steps, zooms in (
        (axis, plain, True, False), (inside, shift, True, False), (inside, plain, False, False),
        (inside, Qt.KeyboardModifier.ControlModifier, False, True),
    ):  # fmt: skip
        before = session.desk.station.dial_hz, session.listening.half_span_hz
        turned = QWheelEvent(
            middle, chart.mapToGlobal(middle), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, modifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(chart, turned)
        after = session.desk.station.dial_hz, session.listening.half_span_hz
        assert (after[0] > before[0], after[1] < before[1]) == (steps, zooms)
    qtbot.waitUntil(lambda: chart.edges_hz == (-4_500.0, 4_500.0), timeout=20_000)
    dial_hz = session.desk.station.dial_hz
    qtbot.waitUntil(lambda: chart.dial_hz == dial_hz, timeout=20_000)
    qtbot.mousePress(chart, Qt.MouseButton.LeftButton, pos=point(chart, dial_hz + 4_500.0))
    qtbot.mouseMove(chart, point(chart, dial_hz + 3_000.0))
    qtbot.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=point(chart, dial_hz + 3_000.0))
    assert session.listening.settings.high_hz == pytest.approx(3_000.0, abs=2 * row_hz)
    assert session.desk.station.dial_hz == dial_hz


def test_the_verdict_comes_first_and_leaving_gives_the_receiver_back(
    qtbot: QtBot, window: MainWindow, listen: ListenPlace
) -> None:
    qtbot.waitUntil(lambda: "over the noise" in listen.headline.text(), timeout=30_000)
    listen.demodulation.setCurrentIndex(listen.demodulation.findData("usb"))
    listen.demodulation.activated.emit(listen.demodulation.currentIndex())
    assert window.session.desk.station.mode == "ssb"
    # Measuring is True's: the key gives the receiver up.
    window.session.desk.dial(10e6)
    qtbot.keyClick(window, Qt.Key.Key_M)
    assert window.stack.currentWidget() is window.true
    assert window.session.calibration.measuring is not None
    assert not window.session.listening.is_open
    look = window.session.live_receiver.tuner.requested
    assert look is not None
    assert look.middle_hz == window.session.desk.route.counted_hz(window.session.desk.station.dial_hz)
    qtbot.waitUntil(lambda: window.true.recorder.column_count > 5, timeout=30_000)


def test_two_routes_are_compared_in_the_sheet(qtbot: QtBot, window: MainWindow, listen: ListenPlace) -> None:
    qtbot.mouseClick(listen.compare, Qt.MouseButton.LeftButton)
    sheet = listen.findChildren(ComparisonSheet)[0]
    assert sheet.first.currentText() != sheet.second.currentText()
    qtbot.waitUntil(sheet.begin.isEnabled, timeout=20_000)
    qtbot.mouseClick(sheet.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Measuring both" in sheet.verdict.text(), timeout=20_000)
    qtbot.waitUntil(lambda: len(window.session.comparison.pairs) >= 7, timeout=90_000)
    qtbot.waitUntil(lambda: "dB" in sheet.verdict.text(), timeout=20_000)
    assert sheet.begin.text() == "Cancel"
    sheet.close()
    assert not window.session.comparison.running
    assert window.session.jobs.tuner is window.session.listening.lease


@pytest.mark.wide
def test_the_proof_by_steps_shows_marks_and_is_cancelled(
    qtbot: QtBot, window: MainWindow, listen: ListenPlace, monkeypatch: pytest.MonkeyPatch
) -> None:
    # Not all of the band is searched for the strong broadcast.
    first = msgspec.structs.replace(STEPS[0], low_hz=95e6, high_hz=98e6)
    monkeypatch.setattr("yarddial.session.listening.reception_check.STEPS", (first, *STEPS[1:]))
    qtbot.mouseClick(listen.prove, Qt.MouseButton.LeftButton)
    sheet = listen.findChildren(ReceptionCheckSheet)[0]
    qtbot.waitUntil(sheet.begin.isEnabled, timeout=20_000)
    qtbot.mouseClick(sheet.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Step 2 of 4" in sheet.verdict.text(), timeout=90_000)
    assert any("96.200" in said.text() for said in sheet.said)
    window.cancel_work()
    qtbot.waitUntil(lambda: sheet.begin.text() == "Again", timeout=20_000)
    sheet.close()


def test_samples_are_kept_and_played_with_the_buttons(
    qtbot: QtBot, window: MainWindow, listen: ListenPlace, tmp_path: Path
) -> None:
    session, kept = window.session, listen.kept
    qtbot.mouseClick(kept.samples, Qt.MouseButton.LeftButton)
    sheet = kept.findChildren(FileSheet)[0]
    sheet.line.setText(str(tmp_path / "evening"))
    sheet.keep()
    qtbot.waitUntil(lambda: kept.samples.text().startswith("Stop"), timeout=20_000)
    recorder = session.listening.recorder
    qtbot.waitUntil(lambda: recorder.recording is not None and recorder.recording.seconds_s > 0, timeout=20_000)
    qtbot.mouseClick(kept.samples, Qt.MouseButton.LeftButton)
    qtbot.waitUntil((tmp_path / "evening.sigmf-meta").exists, timeout=20_000)
    qtbot.waitUntil(lambda: "Saved as" in kept.said.text(), timeout=20_000)
    session.replay(tmp_path / "evening.sigmf-meta")
    qtbot.waitUntil(lambda: "plays in the receiver" in kept.said.text(), timeout=20_000)
    assert kept.play.text() == "End playing"
    qtbot.mouseClick(kept.play, Qt.MouseButton.LeftButton)
    assert not session.live_receiver.plays


def test_the_scale_is_set_by_hand_and_the_pointer_tells_dbm_once_calibrated(
    qtbot: QtBot, window: MainWindow, listen: ListenPlace
) -> None:
    session, chart = window.session, listen.chart
    listen.use_scale("−130 to -40")
    qtbot.waitUntil(lambda: chart.range_db == (-130.0, -40.0), timeout=20_000)
    assert listen.scale.text() == "−130 to −40"
    for bad in ("-60", "-60 to -62", "loud"):
        with pytest.raises(BadLevel, match="two levels"):
            listen.use_scale(bad)
    listen.use_scale("")
    qtbot.waitUntil(lambda: chart.range_db != (-130.0, -40.0), timeout=20_000)
    qtbot.waitUntil(lambda: session.listening.level_dbfs is not None, timeout=20_000)
    session.listening.calibrate("-73 dBm")
    qtbot.waitUntil(lambda: chart.level_offset_db is not None, timeout=20_000)
    qtbot.mouseMove(chart, point(chart, 9.997e6))
    qtbot.waitUntil(lambda: all(word in listen.pointed.text() for word in ("dBm, S", "at the socket")), timeout=20_000)


@pytest.mark.parametrize(
    ("held", "offset_hz", "alone", "wanted"),
    [
        ("high", 6_000.0, False, (-6_000.0, 6_000.0)),
        ("low", -3_000.0, False, (-3_000.0, 3_000.0)),
        ("high", 6_000.0, True, (-4_500.0, 6_000.0)),
        ("low", -3_000.0, True, (-3_000.0, 4_500.0)),
    ],
)
def test_both_edges_move_unless_shift_is_held(
    held: str, offset_hz: float, alone: bool, wanted: tuple[float, float]
) -> None:
    assert dragged_edges((-4_500.0, 4_500.0), held, offset_hz, alone) == wanted


def test_two_recordings_are_compared_from_the_window(qtbot: QtBot, window: MainWindow, tmp_path: Path) -> None:
    """The same noise power in both; the second's tone is 6 dB stronger."""
    chance, time_s = np.random.default_rng(4), np.arange(480_000) / 48e3
    for name, size in (("a", 0.05), ("b", 0.1)):
        noise = chance.standard_normal((time_s.size, 2))
        tone = size * np.exp(2j * np.pi * 5_000 * time_s)
        soundfile.write(
            tmp_path / f"{name}.wav", np.column_stack([tone.real, tone.imag]) + 0.01 * noise, 48_000, "FLOAT"
        )
    window.fixes.compare_recordings()
    sheet = window.findChild(TwoRecordingsSheet)
    assert sheet is not None
    qtbot.mouseClick(sheet.compare, Qt.MouseButton.LeftButton)
    assert "Name both" in sheet.headline.text()
    sheet.first.setText(str(tmp_path / "a.wav"))
    sheet.second.setText(str(tmp_path / "b.wav"))
    sheet.signal.setText("5 kHz")
    sheet.channel_width.setText("1 kHz")
    qtbot.mouseClick(sheet.compare, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "Measuring" not in sheet.headline.text(), timeout=20_000)
    assert "better by 6.0 dB" in sheet.headline.text()
    assert sheet.headline.text().startswith("The second")
    sheet.second.setText(str(tmp_path / "a.wav"))
    qtbot.mouseClick(sheet.compare, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "same recording" in sheet.headline.text(), timeout=20_000)
    sheet.second.setText(str(tmp_path / "b.wav"))
    sheet.signal.setText("5 MHz")
    qtbot.mouseClick(sheet.compare, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is not in a.wav" in sheet.headline.text(), timeout=20_000)
    sheet.close()


@pytest.mark.wide
def test_a_range_that_is_dialled_is_seen_in_listen(qtbot: QtBot, window: MainWindow) -> None:
    entry, listening = window.dial.entry, window.session.listening
    window.focus_dial()
    qtbot.keyClicks(entry, "9.4-9.9 MHz")
    qtbot.keyClick(entry, Qt.Key.Key_Return)
    assert window.stack.currentWidget() is window.stack.place("Listen")
    assert (listening.chart_hz, listening.half_span_hz) == (9.65e6, 0.25e6)
    # What the dial stands on is within what is seen; nothing else was turned for it.
    assert 9.4e6 <= window.session.desk.station.dial_hz <= 9.9e6
    window.focus_dial()
    qtbot.keyClicks(entry, "9.9-9.9")
    qtbot.keyClick(entry, Qt.Key.Key_Return)
    assert "no range" in window.dial.serves.text()
    qtbot.keyClick(entry, Qt.Key.Key_Escape)
    # Wider than the receiver's span: said, and its middle shown.
    window.focus_dial()
    qtbot.keyClicks(entry, "5 to 15 MHz")
    qtbot.keyClick(entry, Qt.Key.Key_Return)
    assert "wider than" in window.strip.accessibleDescription()


def test_the_zoom_is_continuous(window: MainWindow) -> None:
    listening = window.session.listening
    before_hz = listening.half_span_hz
    for _ in range(8):
        listening.zoom(0.125)
    assert listening.half_span_hz == pytest.approx(2 * before_hz)
    listening.zoom(-100)
    assert listening.half_span_hz >= 1.0
