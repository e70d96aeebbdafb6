"""The transceiver in the window: linked and looked at first; and a whole evening in a real window."""

import msgspec
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from rig_yard import ScriptedRig
from slow_yards import slow_station
from yarddial import wiring
from yarddial.drivers.rig.stand_in import StandIn
from yarddial.drivers.simulated.world import heron_world
from yarddial.engine.process import EngineProcess
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.listen.place import ListenPlace
from yarddial.ui.start import dressed_application
from yarddial.ui.transceiver.own_transmission_sheet import OwnTransmissionSheet
from yarddial.ui.transceiver.sheet import TransceiverSheet
from yarddial.yard.demo import HEARTH_IF, VIA_HEARTH
from yarddial.yard.parts import Receiver, Transceiver, Value

LEFT = Qt.MouseButton.LeftButton


def click(qtbot: QtBot, widget: QWidget) -> None:
    qtbot.waitUntil(widget.isEnabled, timeout=10_000)
    qtbot.mouseClick(widget, LEFT)


def test_it_is_linked_looked_at_and_followed_by_the_sheet_and_left_by_a_key(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    session.desk.choose_route(HEARTH_IF)
    qtbot.keyClicks(window, "t")
    sheet = window.findChildren(TransceiverSheet)[0]
    assert sheet.links.kind.currentData() == "simulated"
    click(qtbot, sheet.links.link)
    qtbot.waitUntil(lambda: session.rig.shown is not None, timeout=10_000)
    qtbot.waitUntil(sheet.seen.isVisible, timeout=5_000)
    assert "15 dB of margin" in sheet.worst.text()
    assert not sheet.follow.isEnabled()
    assert not sheet.seen.isEnabled(), "what was looked at has to be said"
    for field in sheet.checks:
        field.setText("closed, lamp out")
    click(qtbot, sheet.seen)
    click(qtbot, sheet.follow)
    qtbot.waitUntil(lambda: session.rig.is_following, timeout=5_000)
    sheet.split_at.setText("7.118M")
    click(qtbot, sheet.split)
    qtbot.waitUntil(lambda: session.rig.transmit_place_hz() == 7.118e6, timeout=5_000)
    sheet.split_at.setText("nonsense")
    click(qtbot, sheet.split)
    assert "nonsense" in sheet.said.text()
    sheet.close()
    qtbot.waitUntil(lambda: "is followed" in window.dial.rig_words.text(), timeout=5_000)
    window.follow_transceiver()
    qtbot.waitUntil(lambda: "stays" in window.dial.rig_words.text(), timeout=5_000)


def test_addresses_come_from_the_rows(qtbot: QtBot, window: MainWindow) -> None:
    window.show_transceiver()
    rows = window.findChildren(TransceiverSheet)[0].links
    rows.kind.setCurrentIndex(rows.kind.findData("tcp"))
    assert rows.address() == "rig:tcp://127.0.0.1:4532"
    rows.kind.setCurrentIndex(rows.kind.findData("table"))
    rows.device.setEditText("/dev/serial/by-id/usb-x")
    rows.speed.setCurrentIndex(rows.speed.findData(38_400))
    assert rows.address() == "rig:template@/dev/serial/by-id/usb-x:38400"
    rows.kind.setCurrentIndex(rows.kind.findData("daemon"))
    rows.model.setEditText("no number")
    click(qtbot, rows.link)
    assert "no transceiver's address" in window.findChildren(TransceiverSheet)[0].said.text()


def test_what_would_harm_the_receiver_stands_first_among_the_findings(window: MainWindow) -> None:
    session = window.session
    session.desk.choose_route(HEARTH_IF)
    hearth = session.desk.station.part("Hearth")
    edited = session.desk.station.with_part(msgspec.structs.replace(hearth, isolation_db=Value(20.0)))
    session.desk.edit("isolation", edited)
    ScriptedRig().join(session)
    session.toggle_receiver()
    session.poll()
    first = session.overview.state.findings[0]
    assert first.safety
    assert not session.live_receiver.wanted
    named = [finding for finding in session.overview.state.findings if finding.what.startswith("Transceiver:")]
    assert "harm the receiver" in named[0].what


@pytest.mark.window
@pytest.mark.timeout(180)
def test_an_evening_follow_click_mode_roam_split_and_its_own_reference(qtbot: QtBot, tmp_path) -> None:  # type: ignore[no-untyped-def]
    """In real time, with the made-up transceiver and its cable; judged by what the made-up world holds."""
    dressed_application("day", 1.0)
    station = slow_station()
    heron = station.part("Heron")
    assert isinstance(heron, Receiver)
    station = station.with_part(msgspec.structs.replace(heron, rate_hz=min(heron.rates_hz)))
    window = MainWindow(Session(station, EngineProcess(wiring.open_device), lambda: Logbook(tmp_path / "log.sqlite")))
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    session = window.session

    def press(text: str) -> None:
        window.activateWindow()
        qtbot.waitActive(window)
        qtbot.keyClicks(window.centralWidget(), text)

    session.desk.choose_route(HEARTH_IF)
    press("t")
    sheet = window.findChildren(TransceiverSheet)[0]
    click(qtbot, sheet.links.link)
    qtbot.waitUntil(sheet.seen.isVisible, timeout=10_000)
    assert not sheet.seen.isEnabled(), "what was looked at has to be said"
    for field in sheet.checks:
        field.setText("closed, lamp out")
    click(qtbot, sheet.seen)
    click(qtbot, sheet.follow)
    sheet.close()
    hearth = session.rig._worker.link.owned  # type: ignore[union-attr]
    assert isinstance(hearth, StandIn)
    # Its knob: the dial goes along, and the picture shows the station there.
    window.go("Listen")
    press(" ")
    hearth.turn(7_112_000)
    qtbot.waitUntil(lambda: session.desk.station.dial_hz == 7.112e6, timeout=5_000)
    listen = window.findChildren(ListenPlace)[0]
    qtbot.waitUntil(lambda: listen.chart.column_count > 15, timeout=30_000)
    qtbot.waitUntil(lambda: (session.listening.over_floor_db() or 0.0) > 6.0, timeout=20_000)
    # A click here: the transceiver goes along, to where the chart was clicked.
    chart, _ = listen.chart.areas()
    qtbot.mouseClick(listen.chart, LEFT, pos=QPoint(int(chart.center().x()), int(chart.top() + chart.height() / 4)))
    clicked_hz = session.desk.station.dial_hz
    assert clicked_hz != 7.112e6
    qtbot.waitUntil(lambda: abs(hearth.frequency_hz - clicked_hz) <= 1.0, timeout=5_000)
    # Mode, both ways.
    index = window.dial.mode.findData("cw")
    window.dial.mode.setCurrentIndex(index)
    window.dial.mode.activated.emit(index)
    # Seen here before a hand turns it back: within a tenth of a second that would pass for a setting not taken.
    qtbot.waitUntil(lambda: session.rig.shown is not None and session.rig.shown.mode == "CW", timeout=5_000)
    hearth.mode, hearth.passband_hz = "LSB", 2400
    qtbot.waitUntil(lambda: session.listening.settings.demodulation == "lsb", timeout=5_000)
    # Away and back.
    stays_hz = hearth.frequency_hz
    press("f")
    session.desk.dial(9.62e6)
    qtbot.wait(500)
    assert hearth.frequency_hz == stays_hz
    press("f")
    qtbot.waitUntil(lambda: session.desk.station.dial_hz == stays_hz, timeout=5_000)
    session.rig.split(stays_hz + 5_000)
    qtbot.waitUntil(lambda: any("would transmit" in name for _, name, _ in listen.chart.known), timeout=5_000)
    session.rig.split(None)
    # The receiver on the antenna output is trued first, then hears the transmitter.
    press("f")
    session.desk.choose_route(VIA_HEARTH)
    session.desk.dial(10e6)
    session.calibration.measure(4.0)
    qtbot.waitUntil(lambda: len(session.calibration.observations) == 1, timeout=40_000)
    session.rig.is_roaming = session.rig.is_wanted = False
    session.rig.safety.acknowledge()
    hearth.turn(14_200_000)
    hearth.mode = "AM"
    qtbot.waitUntil(lambda: session.rig.shown is not None and session.rig.shown.mode == "AM", timeout=5_000)
    own = OwnTransmissionSheet(window, session)
    own.show()
    qtbot.waitActive(own)
    assert not own.ready.isEnabled()
    own.dummy.click()
    own.lowest.click()
    click(qtbot, own.ready)
    qtbot.waitUntil(lambda: session.live_receiver.is_tuned and own.hold.isVisible(), timeout=20_000)
    qtbot.wait(500)
    transmission = session.own_transmission
    # On a computer that stands still for 0.3 s the key is let go: then a person presses again.
    for _ in range(25):
        qtbot.waitUntil(own.hold.isEnabled, timeout=20_000)
        qtbot.mousePress(own.hold, LEFT)
        qtbot.waitUntil(lambda: transmission.result is not None or transmission.phase == "ready", timeout=20_000)
        qtbot.mouseRelease(own.hold, LEFT)
        if transmission.result is not None:
            break
    qtbot.waitUntil(lambda: not hearth.transmitting, timeout=5_000)
    result = session.own_transmission.result
    assert result is not None, transmission.trouble
    assert result.ppm is not None
    assert abs(result.ppm - 1e6 * heron_world().rig_off) <= 3 * result.sigma_ppm
    assert result.sigma_ppm < 0.5, "better than its sheet"
    qtbot.waitUntil(own.enter.isVisible, timeout=5_000)
    click(qtbot, own.enter)
    part = session.desk.station.part("Hearth")
    assert isinstance(part, Transceiver)
    assert part.rig_ppm.provenance == "measured"
    own.close()
    window.close()
