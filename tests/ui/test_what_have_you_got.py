"""From an empty start to a measured dial, with five set-ups on the table, by mouse and by keys."""

import wave
from pathlib import Path

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QRadioButton
from pytestqt.qtbot import QtBot

from person import MOST_ACTIONS, NoFiles, Person, answer, choose_receiver, named, session_of, shown
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.main_window import MainWindow
from yarddial.ui.widgets.finder import Finder
from yarddial.yard.demo import demo_station
from yarddial.yard.shared_sockets import shared_sockets
from yarddial.yard.station import Reference, Station

TONE_HZ, DIAL_ERROR_HZ = 1000.0, 37.5
# Receiver, options by question, dial, seconds of measuring.
SET_UPS: dict[str, tuple[str, dict[str, tuple[str, ...]], str]] = {
    "stick and whip": (
        "Finch", {"antennas": ("Short whip", "Socket for Short whip: discone"), "wishes": ("Amateurs on VHF and UHF",)},
        "145.2 MHz",
    ),
    "stick, converter and wire, fed by a wall plug": (
        "Finch",
        {
            "antennas": ("End-fed wire", "Short whip", "Socket for End-fed wire: ladder",
                         "Socket for Short whip: ladder"),
            "between": ("Converter: Up-converter 125", "Oscillator of the converter= 120 MHz"),
            "feeding": ("a wall plug",),
        },
        "10 MHz",
    ),
    "dish": (
        "Heron", {"antennas": ("Offset dish", "Socket for Offset dish: B"), "between": ("Converter: PLL LNB",)},
        "10.489 GHz",
    ),
    "transceiver with tap": (
        "Heron",
        {"antennas": ("End-fed wire", "Socket for End-fed wire: A"),
         "transceiver": ("Yes, and the receiver hangs on its receive-antenna output",)},
        "10 MHz",
    ),
}  # fmt: skip


def box_of(window: MainWindow, qtbot: QtBot) -> FromTheBox:
    """The conversation, which an empty yard begins with."""
    qtbot.waitUntil(lambda: window.findChild(FromTheBox) is not None, timeout=10_000)
    sheet = window.findChild(FromTheBox)
    assert sheet is not None
    qtbot.waitUntil(lambda: window.session.receiver_choice.listing is not None, timeout=10_000)
    return sheet


def known(frequency_hz: float) -> Reference:
    """Station of the demo yard; a person copies it from a list of stations."""
    return next(station for station in demo_station().references if station.frequency_hz == frequency_hz)


@pytest.mark.parametrize("by_keys", [False, True], ids=["mouse", "keys"])
@pytest.mark.parametrize("name", list(SET_UPS))
def test_a_set_up_reaches_a_measured_dial(qtbot: QtBot, tmp_path: Path, name: str, by_keys: bool) -> None:
    receiver, options, dial = SET_UPS[name]
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    session, person = window.session, Person(qtbot, window, by_keys=by_keys)
    answer(person, box_of(window, qtbot), receiver, options)
    station = session.desk.station
    if dial != "10 MHz":
        reference = known({"145.2 MHz": 145.2e6, "10.489 GHz": 10.489e9}[dial])
        session.desk.edit("known", msgspec.structs.replace(station, references=(*station.references, reference)))
    person.dial(dial)
    session.calibration.chosen_s = 1.0
    while moves := session.hands.asked_moves():
        # A hand does what is asked, then says so.
        person.actions += 1
        session.hands.confirm(moves[0])
    assert session.calibration.why_not_measure() == ""
    person.actions += 1
    session.calibration.measure()
    qtbot.waitUntil(lambda: session.calibration.measuring is None, timeout=60_000)
    assert len(session.calibration.observations) == 1, session.calibration.outcome
    seen = session.calibration.observations[0]
    # What oscillators may be off: 20 ppm of 145 MHz; the dish of the demo's world has a resonator, within 600 kHz.
    assert abs(seen.dial_hz - session.desk.station.dial_hz) < (1e6 if dial == "10.489 GHz" else 6e3)
    assert person.actions <= MOST_ACTIONS
    window.close()


@pytest.mark.parametrize("by_keys", [False, True], ids=["mouse", "keys"])
def test_a_country_is_asked_once_and_decides_what_follows_from_it(qtbot: QtBot, tmp_path: Path, by_keys: bool) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    person, sheet = Person(qtbot, window, by_keys=by_keys), box_of(window, qtbot)
    country, region = named(sheet, "Country"), named(sheet, "Region 3")
    assert isinstance(country, QComboBox)
    assert isinstance(region, QRadioButton)
    person.choose(country, "South Korea")
    assert (sheet.answers.region, sheet.answers.country) == (3, "South Korea")
    assert region.isChecked()
    answer(person, sheet, "Finch", {"antennas": ("Short whip",)})
    station = window.session.desk.station
    # Region 3, where FM broadcasting has 50 us in most countries; 60 Hz and 75 us there.
    assert (station.region, station.mains_hz, station.deemphasis_us) == (3, 60.0, 75.0)
    # A country of another region is forgotten with its region.
    window.session.board.choose_region(1)
    assert (window.session.desk.station.country, window.session.desk.station.deemphasis_us) == ("", 50.0)
    window.close()


@pytest.mark.parametrize("by_keys", [False, True], ids=["mouse", "keys"])
def test_a_radio_with_a_knob_is_measured_by_its_tone(qtbot: QtBot, tmp_path: Path, by_keys: bool) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    session, person = window.session, Person(qtbot, window, by_keys=by_keys)
    answer(person, box_of(window, qtbot), "Radio with a knob", {"antennas": ("End-fed wire",)})
    person.dial("10 MHz")
    # A dial that reads high by DIAL_ERROR_HZ, heard on both sidebands.
    seconds, rate = np.arange(8 * 48_000) / 48_000, 48_000
    for method, hertz in (("usb", TONE_HZ - DIAL_ERROR_HZ), ("lsb", TONE_HZ + DIAL_ERROR_HZ)):
        with wave.open(str(tmp_path / f"{method}.wav"), "wb") as file:
            file.setparams((1, 2, rate, 0, "NONE", ""))
            file.writeframes((12_000 * np.sin(2 * np.pi * hertz * seconds)).astype("<i2").tobytes())
    assert session.desk.route.receiver.name == "Radio with a knob"
    from yarddial.ui.places.true.methods.by_tone import ByTone

    page = ByTone(session)
    qtbot.addWidget(page)
    for method in ("usb", "lsb"):
        page.files[method].setText(str(tmp_path / f"{method}.wav"))  # type: ignore[index]
    person.press(page.read)
    qtbot.waitUntil(page.take.isEnabled, timeout=20_000)
    person.press(page.take)
    qtbot.waitUntil(lambda: len(session.calibration.observations) == 1, timeout=20_000)
    seen = session.calibration.observations[0]
    assert abs(abs(seen.dial_hz - 10e6) - DIAL_ERROR_HZ) < 1.0
    assert person.actions <= MOST_ACTIONS
    window.close()


def test_skipping_everything_builds_nothing_and_an_open_yard_is_left_alone(qtbot: QtBot, tmp_path: Path) -> None:
    begun: list[Station] = []
    window = shown(qtbot, session_of(demo_station(), tmp_path))
    before = window.session.desk.station
    sheet = FromTheBox(
        window, window.session, lambda: None, lambda: None, lambda station: not begun.append(station), lambda: None
    )
    sheet.show()
    person = Person(qtbot, window, by_keys=False)
    while sheet.question is not None:
        person.press(sheet.skip)
    assert not sheet.build.isEnabled()
    for _ in range(5):
        person.press(sheet.back)
    assert sheet.question is not None
    person.press(named(sheet, "Region 2") if sheet.question.name == "where" else sheet.next)
    while sheet.question is not None:
        if sheet.question.name == "antennas":
            person.press(named(sheet, "Short whip"))
        person.press(sheet.next)
    person.press(sheet.build)
    assert [route.parts for route in begun[0].routes] == [("Short whip",)]
    assert window.session.desk.station == before
    window.close()


def test_a_receiver_that_does_not_answer_is_not_the_one_before_it(qtbot: QtBot, tmp_path: Path) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    sheet, person = box_of(window, qtbot), Person(qtbot, window, by_keys=False)
    person.press(sheet.next)
    choose_receiver(person, sheet, "Finch")
    sheet.receiver.found.chosen.emit("simulated:nobody")
    assert sheet.answers.receiver is None
    qtbot.waitUntil(lambda: "nobody" in sheet.headline.text(), timeout=15_000)
    assert sheet.answers.receiver is None
    window.close()


def test_a_power_that_is_none_keeps_its_page(qtbot: QtBot, tmp_path: Path) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    sheet, person = box_of(window, qtbot), Person(qtbot, window, by_keys=False)
    while sheet.question is not None and sheet.question.name != "transceiver":
        person.press(sheet.next)
    person.press(named(sheet, "Yes, on an antenna of its own"))
    person.write(named(sheet, "Watts that it transmits at most"), "a lot")  # type: ignore[arg-type]
    person.press(sheet.next)
    assert sheet.question is not None
    assert "is no power" in sheet.headline.text()
    person.write(named(sheet, "Watts that it transmits at most"), "1.5 kW")  # type: ignore[arg-type]
    person.press(sheet.next)
    person.press(sheet.next)
    person.press(sheet.build)
    assert window.session.desk.station.part("HF transceiver").transmit_w == 1500.0  # type: ignore[union-attr]
    window.close()


def test_without_a_place_for_another_file_the_open_yard_stays_as_it_is(qtbot: QtBot, tmp_path: Path) -> None:
    window = shown(qtbot, session_of(demo_station(), tmp_path))
    before = window.session.desk.station
    sheet = FromTheBox(window, window.session, lambda: None, lambda: None, lambda _: False, lambda: None)
    sheet.show()
    person = Person(qtbot, window, by_keys=False)
    while sheet.question is not None:
        if sheet.question.name == "antennas":
            person.press(named(sheet, "Short whip"))
        person.press(sheet.next)
    person.press(sheet.build)
    assert "no place" in sheet.headline.text()
    assert window.session.desk.station == before
    window.close()


def test_a_leaflet_that_cannot_be_keeps_its_page(qtbot: QtBot, tmp_path: Path) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    sheet, person = box_of(window, qtbot), Person(qtbot, window, by_keys=False)
    while sheet.question is not None and sheet.question.name != "between":
        person.press(sheet.next)
    person.choose(named(sheet, "Converter"), "Up-converter 125")  # type: ignore[arg-type]
    for field, text in (("A frequency at its input", "7 MHz"), ("Where that comes out", "5 MHz")):
        person.write(named(sheet, field), text)  # type: ignore[arg-type]
    person.press(sheet.next)
    assert sheet.question is not None
    assert sheet.question.name == "between"
    assert "cannot be" in sheet.headline.text()
    window.close()


def test_a_part_of_the_yard_is_given_another_antenna_and_a_supply(qtbot: QtBot, tmp_path: Path) -> None:
    window = shown(qtbot, session_of(Station("My yard"), tmp_path), NoFiles())
    sheet, person = box_of(window, qtbot), Person(qtbot, window, by_keys=False)
    answer(
        person, sheet, "TV-stick receiver", {"antennas": ("End-fed wire",), "between": ("Converter: Up-converter 125",)}
    )
    desk, building = window.session.desk, window.session.building
    building.feed_by_lead("Up-converter 125", "wall plug")
    need = desk.station.part("Up-converter 125").need  # type: ignore[union-attr]
    assert (need.lead.source, need.lead.volts) == ("wall plug", 5.0)  # type: ignore[union-attr]
    window.strip._add_antenna("Up-converter 125")
    assert desk.station.route_named().parts == ("Up-converter 125", "TV-stick receiver")
    qtbot.waitUntil(lambda: bool(window.findChildren(Finder)), timeout=5_000)
    qtbot.keyClicks(window.findChildren(Finder)[-1].line, "HF vertical")
    qtbot.keyClick(window.findChildren(Finder)[-1].line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "HF vertical" in desk.station.route_named().parts, timeout=5_000)
    assert desk.station.route_named().parts == ("HF vertical", "Up-converter 125", "TV-stick receiver")
    assert [shared.label for shared in shared_sockets(desk.station)] == ["Up-converter 125"]
    window.close()
