"""The whole job by a beginner's hands in a real window: a cold receiver, three references on two routes, verified."""

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import World, heron_world, quillet_world
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.evidence import Evidence
from yarddial.ui.places.true.watch_sheet import WatchSheet
from yarddial.ui.start import dressed_application
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Receiver

# A crystal that is warm in a minute or two instead of half an hour, and the lowest rate, so that nobody waits. It has
# no noise of its own: the truth that judges knows of none, and two parts in 1e9 of 130 MHz would be more than what is
# stated.
COLD, LOWEST_HZ = "simulated:finch?cold=6&calm=1&low_rate=256k", 256e3


@pytest.mark.window
# Seven measurements and a warm-up: three quarters of a minute here, twice that on a slow machine.
@pytest.mark.timeout(240)
def test_a_cold_yard_is_warmed_measured_trued_and_verified_from_10_mhz_to_10_ghz(qtbot: QtBot, tmp_path) -> None:  # type: ignore[no-untyped-def]
    dressed_application("day", 1.0)
    station = demo_station()
    finch = station.part("Finch")
    assert isinstance(finch, Receiver)
    rates_hz = (LOWEST_HZ, *finch.rates_hz)
    station = station.with_part(msgspec.structs.replace(finch, device=COLD, rate_hz=LOWEST_HZ, rates_hz=rates_hz))
    engine = EngineInline(wiring.open_device_flat_out, 8)
    window = MainWindow(Session(station, engine, lambda: Logbook(tmp_path / "log.sqlite")))
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)
    session = window.session
    # Long enough for what is judged below.
    session.calibration.chosen_s = 2.0

    def press(text: str) -> None:
        qtbot.keyClicks(window.focusWidget() or window, text)

    def dial(text: str) -> None:
        press("/")
        qtbot.waitUntil(window.dial.entry.hasFocus, timeout=20_000)
        qtbot.keyClicks(window.dial.entry, text)
        qtbot.keyClick(window.dial.entry, Qt.Key.Key_Return)

    def measure(key: str, count: int) -> None:
        press(key)
        qtbot.waitUntil(lambda: len(session.calibration.observations) == count, timeout=60_000)
        # What they tell of all oscillators is worked out beside the window.
        qtbot.waitUntil(lambda: session.calibration.measuring is None, timeout=20_000)

    def correct() -> None:
        target: QWidget = window.focusWidget() or window
        qtbot.keyClick(target, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)

    def judged(world: World, within_hz: float) -> None:
        """What the dial is truly off, against what was wanted and what is stated."""
        off_hz = true_dial_error_hz(world, session.desk.route, session.desk.station.dial_hz)
        state = session.calibration.state()
        assert abs(off_hz) <= within_hz
        assert abs(off_hz - state.error_hz) <= 2 * state.sigma_hz

    # Warm it up on the pilot carrier, for the mode that is hardest to please.
    dial("145.2 MHz")
    session.desk.choose_mode("data")
    qtbot.waitUntil(lambda: window.is_furnished, timeout=20_000)
    evidence = window.findChildren(Evidence)[0]
    qtbot.mouseClick(evidence.watch, Qt.MouseButton.LeftButton)
    sheet = evidence.findChildren(WatchSheet)[0]
    qtbot.waitUntil(sheet.begin.isEnabled, timeout=20_000)
    qtbot.keyClick(sheet.every, Qt.Key.Key_Up)
    qtbot.mouseClick(sheet.begin, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sheet.verdict.text().startswith("Steady after"), timeout=200_000)
    # The truth that judges is that of a warm crystal: wait until what is left has fallen to a tenth once more.
    steady = len(session.carrier_watch.points)
    qtbot.waitUntil(lambda: len(session.carrier_watch.points) >= steady + 15, timeout=100_000)
    sheet.close()
    window.activateWindow()
    qtbot.waitActive(window)
    # Three references on two routes.
    measure("m", 1)
    dial("10 MHz")
    measure("m", 2)
    dial("5 MHz")
    measure("m", 3)
    correct()
    # Verified at each, and judged by the truth that the simulator holds.
    dial("10 MHz")
    measure("v", 4)
    judged(quillet_world(), 1.0)
    dial("145.2 MHz")
    measure("v", 5)
    judged(quillet_world(), 5.0)
    # The dish has a receiver of its own; crystal and LNB are known in sum here.
    dial("10.489 GHz")
    measure("m", 6)
    correct()
    measure("v", 7)
    judged(heron_world(), 300.0)
    qtbot.waitUntil(lambda: window.true.headline.text().startswith("Your dial is true to"), timeout=20_000)
    kinds = [entry.kind for entry in session.log.shown()]
    assert kinds.count("correction") == 2
    assert kinds[-1] == "watch"
    window.close()
