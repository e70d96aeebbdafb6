"""From an empty start to a station heard, over three kinds of receivers; and the picker as things come and go."""

import sys
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget
from pytestqt.qtbot import QtBot

import sound_cards
from person import MOST_ACTIONS, NoFiles, Person, answer, named, session_of, shown
from yarddial import wiring
from yarddial.drivers.discovery import Listing
from yarddial.drivers.protocol import FoundReceiver
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.helper_process import HelperInline
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.receiver_picker.sheet import ReceiverPicker
from yarddial.yard.demo import demo_station
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Station


@pytest.fixture
def own_data(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A home of its own, so that nothing that was allowed elsewhere counts."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    return tmp_path


@pytest.mark.parametrize("by_keys", [False, True], ids=["mouse", "keys"])
@pytest.mark.parametrize("kind", ["simulated", "sound", "program"])
def test_from_an_empty_start_to_a_station_heard(
    qtbot: QtBot, own_data: Path, monkeypatch: pytest.MonkeyPatch, kind: str, by_keys: bool
) -> None:
    if kind == "sound":
        monkeypatch.setitem(sys.modules, "sounddevice", sound_cards.installed())
    window = shown(qtbot, session_of(Station("My yard"), own_data), NoFiles())
    qtbot.waitUntil(lambda: window.findChild(FromTheBox) is not None, timeout=10_000)
    sheet = window.findChild(FromTheBox)
    assert sheet is not None
    qtbot.waitUntil(lambda: window.session.receiver_choice.listing is not None, timeout=10_000)
    person = Person(qtbot, window, by_keys=by_keys)
    hung = {"simulated": ("Wide-band discone", "Socket for Wide-band discone: discone")}.get(kind, ("End-fed wire",))
    answer(person, sheet, "Finch" if kind == "simulated" else kind, {"antennas": hung})
    assert window.session.desk.station.routes
    dial = {"simulated": "145.2 MHz", "sound": "7.061 MHz", "program": "7 MHz"}[kind]
    person.dial(dial)
    assert window.session.desk.station.dial_hz == parse_frequency(dial)
    person.listen()
    qtbot.waitUntil(lambda: window.session.live_receiver.running, timeout=15_000)
    listen = window.stack.place("Listen")
    over = window.session.listening
    qtbot.waitUntil(lambda: "over the noise" in listen.headline.text(), timeout=20_000)  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: listen.sound.is_sounding, timeout=10_000)  # type: ignore[attr-defined]
    assert over.is_open
    assert person.actions <= MOST_ACTIONS
    window.close()


def picker_session(tmp_path: Path, seen: list[Listing]) -> Session:
    """The demo yard; whoever looks sees what `seen` holds last."""

    def look() -> Iterator[Listing]:
        while True:
            yield seen[-1]

    made = wiring.choice_helpers(inline=True)
    made = msgspec.structs.replace(made, search=lambda: HelperInline(look))
    return session_of(demo_station(), tmp_path, lambda: made)


RULE = 'SUBSYSTEM=="video4linux", TAG+="uaccess"'
STICK = ("kernel", FoundReceiver("swradio0", "<b>Stick</b>", "USB 1-1", 480.0))
DENIED = ("kernel", FoundReceiver("swradio1", "Second", "USB 1-2", 480.0, "denied", "you may not open it", RULE))


def test_the_picker_follows_what_is_plugged_in_and_shows_cures(qtbot: QtBot, own_data: Path) -> None:
    seen = [Listing()]
    window = shown(qtbot, picker_session(own_data, seen))
    window.fixes.choose_receiver()
    picker = window.findChild(ReceiverPicker)
    assert picker is not None
    qtbot.waitUntil(lambda: "looks like a receiver" in picker.nothing.text(), timeout=5_000)
    seen.append(Listing((STICK, DENIED)))
    qtbot.waitUntil(lambda: not picker.nothing.isVisible(), timeout=2_000)
    # What a receiver calls itself is shown, not obeyed.
    names = [label.text() for label in picker.found.findChildren(QWidget) if hasattr(label, "text")]
    assert "<b>Stick</b>" in names
    assert not named(picker, "Choose Second").isEnabled()
    qtbot.mouseClick(named(picker, "Second: copy the line that cures it"), Qt.MouseButton.LeftButton)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text() == RULE
    finch = window.session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    unplugged = msgspec.structs.replace(finch, device="kernel:swradio0")
    window.session.desk.edit("choose", window.session.desk.station.with_part(unplugged))
    qtbot.waitUntil(lambda: picker.headline.text() == "Finch is the kernel's swradio0.", timeout=2_000)
    seen.append(Listing())
    qtbot.waitUntil(lambda: "not plugged in now" in picker.headline.text(), timeout=2_000)
    qtbot.mouseClick(picker.stream.heading, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(named(picker, "Choose samples from a program"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "nobody sends at 127.0.0.1:7000" in picker.headline.text().lower(), timeout=10_000)
    assert window.session.desk.route.receiver.device == "kernel:swradio0"
    picker.close()
    qtbot.waitUntil(lambda: not window.session.receiver_choice.is_busy)


def test_a_choice_takes_over_what_the_driver_knows_and_one_undo_takes_it_back(qtbot: QtBot, own_data: Path) -> None:
    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    worn = msgspec.structs.replace(finch, device="", rates_hz=(1e6,), rate_hz=1e6, bits=4, gain_stages=(), holes_hz=())
    window = shown(qtbot, session_of(station.with_part(worn), own_data))
    window.session.toggle_receiver()
    what = next(finding for finding in findings(window.session) if "no receiver is chosen" in finding.what)
    window.fixes.fix(what)
    picker = window.findChild(ReceiverPicker)
    assert picker is not None
    qtbot.waitUntil(lambda: bool(picker.simulated.findChildren(QAbstractButton)), timeout=5_000)
    qtbot.mouseClick(named(picker, "Choose Finch"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is now the simulated finch" in picker.headline.text(), timeout=10_000)
    told = window.session.desk.route.receiver
    assert told.device == "simulated:finch"
    assert told.rates_hz == finch.rates_hz
    assert (told.bits, told.holes_hz) == (8, ((1105e6, 1140e6),))
    assert [stage.name for stage in told.gain_stages] == ["gain"]
    assert told.origins["rates_hz"].note == "as the driver says"
    window.session.undo()
    assert window.session.desk.route.receiver == worn


def test_opening_a_yard_starts_no_program_and_opens_nothing(qtbot: QtBot, own_data: Path) -> None:
    """A file from elsewhere that names a program: nothing runs until a person has seen the command and allowed it."""
    started = own_data / "started"
    program = own_data / "evil.sh"
    program.write_text(f"#!/bin/sh\ntouch {started}\nexec sleep 60\n")
    program.chmod(0o755)
    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    named_by_file = station.with_part(msgspec.structs.replace(finch, device=f"process:{program}"))
    opened: list[str] = []

    def open_device(address: str) -> object:
        opened.append(address)
        return wiring.open_device_flat_out(address)

    session = Session(
        named_by_file, EngineInline(open_device), lambda: Logbook(own_data / "log"),  # type: ignore[arg-type]
        helpers=partial(wiring.choice_helpers, inline=True),
    )  # fmt: skip
    window = shown(qtbot, session)
    qtbot.wait(300)
    assert opened == []
    session.toggle_receiver()
    qtbot.waitUntil(lambda: "has not been allowed" in session.live_receiver.trouble, timeout=5_000)
    finding = next(f for f in findings(session) if f.fix_label == "Look at the program")
    window.fixes.fix(finding)
    picker = window.findChild(ReceiverPicker)
    assert picker is not None
    assert picker.program.command.text() == str(program)
    assert not started.exists()


def test_a_feed_that_a_file_has_on_waits_for_a_person(qtbot: QtBot, own_data: Path) -> None:
    """A real receiver's bias feed is switched on by a press in this session only."""
    import plover

    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    port = next(port for port in finch.ports if port.bias is not None)
    assert port.bias is not None
    fed = msgspec.structs.replace(
        finch, device="plover:one?lossless=1", rates_hz=(1e6,), rate_hz=1e6, gain_stages=(), fixed_centre_hz=0.0,
        ports=(msgspec.structs.replace(port, name="back", bias=msgspec.structs.replace(port.bias, on=True)),),
        direct=None,
    )  # fmt: skip
    routes = (msgspec.structs.replace(station.routes[1], port="back"),)
    station = msgspec.structs.replace(station.with_part(fed), routes=routes, route=routes[0].name, dial_hz=145.2e6)
    made: list[plover.Plover] = []

    def open_device(address: str) -> plover.Plover:
        from yarddial.drivers.time_source import VirtualTime

        made.append(plover.PloverDriver().open(address.partition(":")[2], VirtualTime()))
        return made[-1]

    session = Session(station, EngineInline(open_device), lambda: Logbook(own_data / "log"))
    window = shown(qtbot, session)
    session.toggle_receiver()
    qtbot.waitUntil(lambda: session.live_receiver.running, timeout=5_000)
    assert made[-1]._got.bias is False
    window.fixes.fix(next(f for f in findings(session) if f.fix_label == "Feed the line"))
    qtbot.waitUntil(lambda: session.live_receiver.running and made[-1]._got.bias, timeout=5_000)
    assert not [f for f in findings(session) if f.fix_label == "Feed the line"]
    assert np.isfinite(session.desk.route.receiver.rate_hz)
