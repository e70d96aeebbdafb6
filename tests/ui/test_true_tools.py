"""True's further tools in the window: the proposal taken, a reading typed, a carrier watched."""

from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedObservations
from yarddial.session.calibration.live_methods import SCAN_S
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.evidence import Evidence
from yarddial.ui.places.true.history_sheet import HistorySheet
from yarddial.ui.places.true.methods.by_hand import ByHand
from yarddial.ui.places.true.methods.by_pilot import ByPilot
from yarddial.ui.places.true.methods.by_raster import ByRaster
from yarddial.ui.places.true.methods.by_tone import ByTone
from yarddial.ui.places.true.methods.known_stations import KnownStations
from yarddial.ui.places.true.methods.own_transmitter import OwnTransmitter
from yarddial.ui.places.true.methods.page import MethodPage
from yarddial.ui.places.true.methods.sheet import PAGES, MethodsSheet
from yarddial.ui.places.true.watch_sheet import WatchSheet
from yarddial.yard.parts import Receiver


def test_the_proposal_is_dialled_and_a_reading_by_hand_counts(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    window.go("True")
    evidence = window.findChildren(Evidence)[0]
    proposal = session.calibration.suggestion.now()
    assert proposal is not None
    qtbot.waitUntil(evidence.go.isVisible, timeout=20_000)
    assert "Most would help" in evidence.next_words.text()
    qtbot.mouseClick(evidence.go, Qt.MouseButton.LeftButton)
    assert session.desk.station.dial_hz == proposal.reference.frequency_hz
    assert session.desk.route.name == proposal.route
    session.desk.dial(10e6)
    qtbot.mouseClick(evidence.methods, Qt.MouseButton.LeftButton)
    sheet = evidence.findChildren(MethodsSheet)[0]
    page = sheet.page
    assert isinstance(page, ByHand)
    page.reading.setText("loud")
    page.keep()
    assert "loud" in page.said.text()
    page.reading.setText("9.996 933 MHz ± 3 Hz")
    page.keep()
    assert "read by hand" in page.answer.text()
    sheet.close()
    qtbot.waitUntil(lambda: session.calibration.fit is not None, timeout=20_000)
    assert "Ladder's oscillator" in evidence.budget.accessibleDescription()


def test_a_carrier_is_watched_and_the_run_ends_with_the_sheet(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    # The lowest rate, so that a minute of the receiver's time is soon over.
    finch = session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    session.desk.edit("rate", session.desk.station.with_part(msgspec.structs.replace(finch, rate_hz=1.024e6)))
    window.go("True")
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: session.live_receiver.is_tuned, timeout=30_000)
    evidence = window.findChildren(Evidence)[0]
    qtbot.mouseClick(evidence.watch, Qt.MouseButton.LeftButton)
    sheet = evidence.findChildren(WatchSheet)[0]
    qtbot.waitUntil(sheet.begin.isEnabled, timeout=20_000)
    qtbot.keyClick(sheet.every, Qt.Key.Key_Up)
    assert sheet.every.currentText() == "1 s"
    qtbot.mouseClick(sheet.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sheet.verdict.text().startswith("Watching"), timeout=30_000)
    assert not sheet.every.isEnabled()
    qtbot.waitUntil(lambda: session.carrier_watch.warm_up is not None, timeout=110_000)
    qtbot.waitUntil(lambda: "eady" in sheet.verdict.text() or "warming" in sheet.verdict.text(), timeout=20_000)
    sheet.close()
    assert not session.carrier_watch.running
    assert session.log.shown()[0].kind == "watch"


def page_of(sheet: MethodsSheet, kind: type[MethodPage]) -> MethodPage:
    """Go to a page by its kind."""
    sheet.names.setCurrentRow([made for _, made in PAGES].index(kind))
    return sheet.page


@pytest.mark.wide
def test_every_other_way_has_a_page_that_answers_or_refuses(
    qtbot: QtBot, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # How well a raster is told from eight seconds is tested elsewhere.
    monkeypatch.setitem(SCAN_S, "raster", 3.0)
    session = window.session
    window.go("True")
    sheet = MethodsSheet(window, session)
    sheet.show()
    tone = page_of(sheet, ByTone)
    assert isinstance(tone, ByTone)
    tone.tone.setText("5 Hz")
    qtbot.mouseClick(tone.read, Qt.MouseButton.LeftButton)
    assert "30 Hz" in tone.said.text()
    tone.tone.setText("1000 Hz")
    tone.files["am"].setText(str(tmp_path / "none.wav"))
    qtbot.mouseClick(tone.read, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "not there" in tone.said.text() or "one tone" in tone.said.text(), timeout=20_000)
    own = page_of(sheet, OwnTransmitter)
    assert isinstance(own, OwnTransmitter)
    own.name.setText("Hearth")
    own.place.setText("145.5 MHz ± 150 Hz")
    own.keep()
    assert own.said.text() == ""
    assert session.desk.station.dial_hz == 145.5e6
    assert session.desk.station.references[-1].sigma_hz == 150.0
    stations = page_of(sheet, KnownStations)
    assert isinstance(stations, KnownStations)
    stations.name.setText("Tower")
    stations.place.setText("124.35 MHz")
    stations.kind.setCurrentText("airband")
    stations.add()
    assert "on purpose" in stations.said.text()
    stations.kind.setCurrentText("medium-wave broadcaster")
    stations.add()
    assert "not found at" in stations.said.text()
    pilot = page_of(sheet, ByPilot)
    assert isinstance(pilot, ByPilot)
    session.desk.dial(96.2e6)
    qtbot.mouseClick(pilot.hear, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: pilot.told is not None, timeout=60_000)
    assert "sample clock is off by +27." in pilot.answer.text()
    pilot.right_to.setText("loud")
    pilot.take_it()
    assert "such as 0.7 Hz" in pilot.said.text()
    pilot.right_to.setText("±0.7 Hz")
    pilot.take_it()
    assert session.calibration.observations[-1].reference_sigma_hz == 0.7
    raster = page_of(sheet, ByRaster)
    assert isinstance(raster, ByRaster)
    session.desk.dial(1.134e6)
    qtbot.mouseClick(raster.hear, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: raster.told is not None, timeout=60_000)
    assert "kHz" in raster.answer.text()
    # A page that is gone hears of nothing any more; what runs for it ends with it.
    gone: list[object] = []
    raster.destroyed.connect(gone.append)
    qtbot.mouseClick(raster.hear, Qt.MouseButton.LeftButton)
    assert session.live_methods.running == "raster"
    sheet.close()
    assert not session.live_methods.running
    qtbot.waitUntil(lambda: bool(gone), timeout=5_000)
    session.live_methods.scan()
    session.live_methods.cancel()


def test_the_history_opens_empty_and_with_what_the_log_holds(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    empty = HistorySheet(window, session)
    assert "Nothing" in empty.verdict.text()
    empty.close()
    entry = Entry(
        station=session.desk.station.name, kind="observation", text="earlier", at_utc="2026-03-01T12:00:00Z",
        data=LoggedObservations((), {"crystal:Finch": (27.1, 0.01)}),
    )  # fmt: skip
    session.log.add(entry)
    session.calibration.recall()
    sheet = HistorySheet(window, session)
    sheet.show()
    assert "Finch's crystal" in sheet.verdict.text()
    sheet.warmth.setText("warm")
    sheet.note_warmth()
    assert "no temperature" in sheet.more.text()
    sheet.warmth.setText("21,5")
    sheet.note_warmth()
    assert session.calibration.temperature_c == 21.5
    sheet.close()


def test_a_refresh_between_going_to_the_dial_and_typing_changes_nothing(qtbot: QtBot, window: MainWindow) -> None:
    window.focus_dial()
    qtbot.waitUntil(window.dial.entry.hasFocus, timeout=20_000)
    window.dial.entry.show_text("10.000 001")
    qtbot.keyClicks(window.dial.entry, "145.2 MHz")
    qtbot.keyClick(window.dial.entry, Qt.Key.Key_Return)
    assert window.session.desk.station.dial_hz == 145.2e6
