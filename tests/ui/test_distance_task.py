"""From the box to a true dial in a real window, with the receiver on another computer, of another network."""

import re
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QWidget
from pytestqt.qtbot import QtBot

from far_computer_here import FarComputerHere
from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.main_window import MainWindow
from yarddial.ui.pairing_sheet import PairingSheet
from yarddial.ui.start import dressed_application
from yarddial.yard.demo import demo_station


@pytest.fixture
def shed(tmp_path: Path) -> Iterator[FarComputerHere]:
    """Another computer that serves its receivers and shows a code."""
    made = FarComputerHere(tmp_path / "shed", flat_out=True)
    made.serve("--pair", "control")
    yield made
    made.close()


@pytest.mark.window
@pytest.mark.timeout(240)
def test_from_the_box_to_a_true_dial_with_the_receiver_in_the_shed(
    qtbot: QtBot, shed: FarComputerHere, tmp_path: Path
) -> None:
    dressed_application("day", 1.0)
    window = MainWindow(wiring.own_session(None), wiring.OwnFiles())
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    session = window.session

    def named(parent: QWidget, name: str) -> QAbstractButton:
        found = next((one for one in parent.findChildren(QAbstractButton) if one.accessibleName() == name), None)
        assert found is not None, name
        return found

    def there(kind: type[QWidget]) -> QWidget:
        qtbot.waitUntil(lambda: window.findChild(kind) is not None, timeout=20_000)
        found = window.findChild(kind)
        assert found is not None
        return found

    def dial(text: str) -> None:
        window.activateWindow()
        qtbot.keyClicks(window.focusWidget() or window, "/")
        qtbot.waitUntil(window.dial.entry.hasFocus, timeout=20_000)
        qtbot.keyClicks(window.dial.entry, text)
        qtbot.keyClick(window.dial.entry, Qt.Key.Key_Return)

    def measure(key: str, count: int) -> None:
        qtbot.keyClicks(window.focusWidget() or window, key)
        qtbot.waitUntil(lambda: len(session.calibration.observations) == count, timeout=60_000)
        qtbot.waitUntil(lambda: session.calibration.measuring is None, timeout=20_000)

    # Paired by the code that the shed shows.
    there(FromTheBox).close()
    window.fixes.pair_with_computer()
    sheet = there(PairingSheet)
    assert isinstance(sheet, PairingSheet)
    qtbot.keyClicks(sheet.place, f"{shed.host}:{shed.port}")
    qtbot.keyClicks(sheet.name, "shed")
    qtbot.keyClicks(sheet.code, shed.pairing_code())
    qtbot.keyClick(sheet.code, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(wiring.known_computers().all()), timeout=30_000)
    sheet.close()
    # Built of what is there: a receiver in the shed, a converter, a wire.
    window.fixes.begin_from_the_box()
    box = there(FromTheBox)
    assert isinstance(box, FromTheBox)
    qtbot.waitUntil(lambda: session.receiver_choice.listing is not None, timeout=30_000)
    far = [
        (driver, one)
        for driver, one in session.receiver_choice.listing.receivers  # type: ignore[union-attr]
        if driver == "far" and "finch" in one.address
    ]
    assert far, session.receiver_choice.listing
    while box.question is not None:
        if box.question.name == "receiver":
            qtbot.waitUntil(lambda: bool(box.receiver.found.findChildren(QAbstractButton)), timeout=20_000)
            box.receiver.found.chosen.emit(f"far:{far[0][1].address}")
            qtbot.waitUntil(lambda: box.answers.receiver is not None, timeout=30_000)
        if box.question.name == "antennas":
            named(box, "Wide-band discone").click()
            socket = next(b for b in box.findChildren(QComboBox) if b.accessibleName().startswith("Socket for"))
            socket.setCurrentText("discone")
            socket.textActivated.emit("discone")
        qtbot.mouseClick(box.next, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(box.build, Qt.MouseButton.LeftButton)
    # The address carries the certificate beside the name.
    assert re.match(r"far:shed@[0-9a-f]{16}/simulated:finch", session.desk.route.receiver.device)
    # First light, where it stands.
    qtbot.waitUntil(lambda: not session.device_check.why_not(), timeout=20_000)
    session.device_check.start()
    qtbot.waitUntil(lambda: not session.device_check.running, timeout=100_000)
    wrong = [one for one in session.device_check.results if one.verdict == "stop"]
    assert len(session.device_check.results) > 6
    assert not wrong
    # A station that is known, measured and trued.
    station = session.desk.station
    harbour = next(one for one in demo_station().references if one.frequency_hz == 145.2e6)
    session.desk.edit("known", msgspec.structs.replace(station, references=(*station.references, harbour)))
    dial("145.2 MHz")
    measure("m", 1)
    qtbot.keyClick(window.focusWidget() or window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    measure("v", 2)
    off_hz = true_dial_error_hz(quillet_world(), session.desk.route, 145.2e6)
    state = session.calibration.state()
    assert abs(off_hz) < 5.0
    assert abs(off_hz - state.error_hz) <= 3 * state.sigma_hz
    # Heard, and the cable pulled for a moment: it goes on by itself.
    window.go("Listen")
    qtbot.waitUntil(lambda: session.listening.level_dbfs is not None, timeout=30_000)
    engine = session.far_engine
    assert engine is not None
    shed.pull_cable(out=True)
    qtbot.wait(1_500)
    shed.pull_cable(out=False)
    heard = engine.turn_s
    qtbot.waitUntil(lambda: engine.is_linked and engine.turn_s != heard, timeout=30_000)
    assert session.live_receiver.running
    assert [entry.kind for entry in session.log.shown()].count("correction") == 1
    window.close()


@pytest.mark.window
@pytest.mark.timeout(240)
def test_a_receiver_in_the_shed_chosen_in_the_demo_yard_is_measured_and_the_first_keeps_its_correction(
    qtbot: QtBot, shed: FarComputerHere
) -> None:
    """The yard in which people try it: no dead end, and nothing entered is lost."""
    dressed_application("day", 1.0)
    window = MainWindow(wiring.demo_session(), wiring.OwnFiles())
    qtbot.addWidget(window, before_close_func=lambda widget: widget.session.unkept.give_up())
    window.show()
    session = window.session
    session.calibration.chosen_s = 1.0
    wiring.OwnFiles().pair(f"{shed.host}:{shed.port}", shed.pairing_code(), "shed")
    session.building.set_value("Finch", "entered_ppm", "22.5")
    choice = session.receiver_choice
    choice.search()

    def far_finch() -> str:
        receivers = choice.listing.receivers if choice.listing is not None else ()
        return next((f"far:{one.address}" for name, one in receivers if name == "far" and "finch" in one.address), "")

    qtbot.waitUntil(lambda: far_finch() != "", timeout=30_000)

    def choose(device: str) -> None:
        choice.choose("Finch", device)
        qtbot.waitUntil(lambda: not choice.is_asking, timeout=30_000)
        assert choice.trouble == ""
        assert session.desk.route.receiver.device == device

    session.desk.dial_typed(145.2e6)
    first = session.desk.route.receiver.device
    choose(far_finch())
    assert session.desk.route.receiver.entered_ppm == 0.0
    window.measure()
    qtbot.waitUntil(lambda: len(session.calibration.observations) == 1, timeout=60_000)
    (seen,) = session.calibration.observations
    assert seen.device.startswith("far:shed@")
    truth_hz = true_dial_error_hz(quillet_world(), session.desk.route, 145.2e6)
    assert abs(seen.error_hz - truth_hz) < 5 * seen.total_sigma_hz + 0.2 * abs(truth_hz)
    choose(first)
    assert session.desk.route.receiver.entered_ppm == 22.5
    choice.leave()
