"""First light and Span in the window: run, cancelled, killed; the band covered and the rate used."""

import os
import signal
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.engine.events import SpanSpectrum
from yarddial.engine.link import EngineInline
from yarddial.session.first_light.runner import HelpedRunner
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.first_light.check_row import CheckRow
from yarddial.ui.places.first_light.place import FirstLightPlace
from yarddial.ui.places.span.place import SpanPlace
from yarddial.ui.theme.lettering import px
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver


def place(window: MainWindow, name: str) -> FirstLightPlace | SpanPlace:
    window.go(name)
    found = window.stack.currentWidget()
    assert isinstance(found, FirstLightPlace | SpanPlace)
    return found


def shown(widget: FirstLightPlace | SpanPlace) -> list[str]:
    return [label.text() for label in widget.findChildren(QLabel) if label.isVisible()]


@pytest.mark.wide
def test_a_run_is_shown_worst_first_logged_and_goes_into_the_part(qtbot: QtBot, window: MainWindow) -> None:
    first_light = place(window, "First light")
    assert isinstance(first_light, FirstLightPlace)
    assert "not known yet" in first_light.headline.text()
    qtbot.mouseClick(first_light.start, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.session.device_check.running, timeout=60_000)
    assert first_light.headline.text().startswith("Finch, rate 3 MS/s:")
    items = [first_light.rows.itemAt(i) for i in range(first_light.rows.count() - 1)]
    rows = [item.widget() for item in items if item is not None]
    assert len(rows) == len(window.session.device_check.results)
    assert isinstance(rows[0], CheckRow)
    assert any(label.text() == "rate 3 MS/s" for label in rows[0].findChildren(QLabel))
    entry = window.session.log.shown()[0]
    assert entry.kind == "first light"
    assert "samples lost" in entry.text
    finch = window.session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    assert finch.origins["lost_shares"].provenance == "measured"
    assert [rate for rate, share in finch.lost_shares if share] == [3e6]
    # Span knows it now.
    span = place(window, "Span")
    qtbot.waitUntil(lambda: shown(span).count("none") == 5, timeout=5_000)
    assert "not watched" not in shown(span)


def test_a_run_can_be_cancelled_and_a_killed_process_is_said(qtbot: QtBot, window: MainWindow) -> None:
    first_light = place(window, "First light")
    window.session.device_check.start()
    qtbot.waitUntil(lambda: len(window.session.device_check.results) > 2, timeout=20_000)
    window.setFocus()
    qtbot.keyClick(window, Qt.Key.Key_Escape)
    assert "cancelled" in first_light.headline.text()
    window.session.device_check._begin = wiring.begin_check
    window.session.device_check.start()
    runner = window.session.device_check._runner
    assert isinstance(runner, HelpedRunner)
    qtbot.waitUntil(lambda: len(window.session.device_check.results) > 1, timeout=20_000)
    os.kill(runner._helper._process.pid or 0, signal.SIGKILL)
    qtbot.waitUntil(lambda: not window.session.device_check.running, timeout=10_000)
    assert any("ended unexpectedly" in result.detail for result in window.session.device_check.results)
    assert window.isVisible()


@pytest.mark.wide
def test_the_band_around_the_dial_is_covered_and_the_rate_used(qtbot: QtBot, window: MainWindow) -> None:
    window.session.desk.dial(14.2e6)
    span = place(window, "Span")
    assert isinstance(span, SpanPlace)
    # 350 kHz fit into four fifths of the lowest rate.
    assert span.headline.text().startswith("20 m: 1.024 MS/s, centre at 134.")
    qtbot.mouseClick(span.use, Qt.MouseButton.LeftButton)
    finch = window.session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    assert finch.rate_hz == 1.024e6
    assert not span.use.isEnabled()
    window.session.desk.dial(96.2e6)
    assert "FM broadcast takes" in span.headline.text()
    span.band.setCurrentText("around the dial")
    span.band.textActivated.emit("around the dial")
    assert span.headline.text().startswith("Around the dial:")
    window.session.desk.dial(5e9)
    assert "out of reach" in span.headline.text()


@pytest.mark.parametrize("fault", ["unplug:1", "stall:1"])
def test_a_receiver_that_leaves_is_said_and_samples_lost_are_counted(fault: str, tmp_path: Path) -> None:
    import msgspec

    from yarddial.records.logbook import Logbook
    from yarddial.session.overview.findings import findings

    station = demo_station()
    finch = station.part("Finch")
    station = station.with_part(msgspec.structs.replace(finch, device=f"simulated:finch?fault={fault},slow_link"))
    session = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log"))
    session.toggle_receiver()
    for _ in range(10):
        session.poll()
    assert session.live_receiver.lost_samples > 0
    assert any("samples lost by the receiver" in finding.what for finding in findings(session))
    for _ in range(60):
        session.poll()
    assert not session.live_receiver.running
    assert ("unplugged" if "unplug" in fault else "no samples") in session.live_receiver.trouble
    session.close()


def test_a_click_in_the_span_tunes_to_the_peak_beside_the_pointer(qtbot: QtBot, window: MainWindow) -> None:
    """The peak is put into the spectrum by hand, so where it lies is known; elsewhere the place itself is dialled."""
    window.session.desk.dial(10e6)
    span = place(window, "Span")
    assert isinstance(span, SpanPlace)
    picture = span.picture
    qtbot.waitUntil(lambda: picture.ends_hz() is not None and picture.isVisible(), timeout=20_000)
    ends_hz = picture.ends_hz()
    assert ends_hz is not None
    rate_hz, middle_hz = ends_hz[1] - ends_hz[0], sum(ends_hz) / 2
    levels = np.full(2_048, -90.0, np.float32)
    route = window.session.desk.route
    levels[1_500] = -30.0
    picture.show_live(SpanSpectrum(route.at(middle_hz).counted_hz(middle_hz), rate_hz, levels, levels, -90.0))
    peak_hz = middle_hz + (1_500.5 / 2_048 - 0.5) * rate_hz
    inside = picture.width() - 2 * px(8)

    def click(dial_hz: float, off_px: int) -> float:
        x = px(8) + (dial_hz - ends_hz[0]) / rate_hz * inside + off_px
        qtbot.mouseClick(picture, Qt.MouseButton.LeftButton, pos=QPoint(round(x), 60))
        return window.session.desk.station.dial_hz

    assert click(peak_hz, 4) == pytest.approx(peak_hz, abs=rate_hz / 2_048)
    # Without a peak beside it, the place itself is dialled.
    window.session.desk.dial(10e6)
    qtbot.waitUntil(lambda: picture.ends_hz() == ends_hz, timeout=20_000)
    beside_hz = middle_hz - 0.2 * rate_hz
    assert click(beside_hz, 0) == pytest.approx(beside_hz, abs=rate_hz / inside)
