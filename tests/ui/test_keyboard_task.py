"""The main job in a real window, by keyboard alone: two measurements, fit, apply, verify."""

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.ui.main_window import MainWindow
from yarddial.ui.start import dressed_application
from yarddial.yard.demo import DIRECT, VIA_LADDER


def true_error_hz(window: MainWindow, seed: int, route: str, hertz: float) -> float:
    return true_dial_error_hz(quillet_world(seed), window.session.desk.station.resolve(route), hertz)


# Once in real time, beside other tests; once in a real window, where another receiver need not keep anybody waiting.
@pytest.mark.parametrize(("seed", "flat_out"), [(1, False), pytest.param(7, True, marks=pytest.mark.window)])
def test_the_demo_yard_is_trued_by_keys_alone(qtbot: QtBot, tmp_path, seed: int, flat_out: bool) -> None:  # type: ignore[no-untyped-def]
    dressed_application("day", 1.0)
    window = MainWindow(wiring.demo_session(folder=tmp_path, seed=seed, flat_out=flat_out))
    qtbot.addWidget(window)
    window.show()
    window.activateWindow()
    qtbot.waitActive(window)

    def press(text: str) -> None:
        target = window.focusWidget() or window
        qtbot.keyClicks(target, text)

    def measured(count: int) -> None:
        qtbot.waitUntil(lambda: len(window.session.calibration.observations) == count, timeout=40_000)

    # A second tells enough: how long is long enough has tests of its own.
    window.session.calibration.chosen_s = 1.0
    assert abs(true_error_hz(window, seed, VIA_LADDER, 10e6)) > 1_000
    press("m")
    measured(1)
    qtbot.waitUntil(lambda: "low on this route" in window.true.headline.text(), timeout=5_000)
    press("]")
    assert window.session.desk.station.dial_hz == 145.2e6
    press("m")
    measured(2)
    qtbot.keyClick(window.focusWidget() or window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    assert abs(true_error_hz(window, seed, VIA_LADDER, 10e6)) < 1.0
    assert abs(true_error_hz(window, seed, DIRECT, 145.2e6)) < 2.0
    press("v")
    measured(3)
    assert abs(window.session.calibration.observations[2].error_hz) < 2.0
    press("[")
    press("v")
    measured(4)
    assert window.session.desk.station.route == VIA_LADDER
    assert abs(window.session.calibration.observations[3].error_hz) < 1.0
    qtbot.waitUntil(lambda: window.true.headline.text().startswith("Your dial is true to"), timeout=5_000)
    kinds = [entry.kind for entry in window.session.log.shown()]
    assert kinds == ["verification", "verification", "correction", "observation", "observation"]
    window.close()
