"""Levels in the window: a stage swept, the advice used, taken back."""

import msgspec
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.levels.place import LevelsPlace
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.yard.demo import VIA_HEARTH
from yarddial.yard.parts import Receiver


def test_a_stage_is_swept_and_the_advice_used(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    session.desk.dial(96.2e6)
    session.desk.choose_mode("wfm")
    window.go("Levels")
    place = window.stack.currentWidget()
    assert isinstance(place, LevelsPlace)
    assert not place.sweeps["gain"].isEnabled()
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(place.sweeps["gain"].isEnabled, timeout=30_000)
    qtbot.mouseClick(place.sweeps["gain"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.levels.advice is not None, timeout=60_000)
    qtbot.waitUntil(place.use.isEnabled, timeout=20_000)
    assert place.headline.text().endswith("dB.")
    assert "Lower gain from 25.5" in place.headline.text()
    qtbot.mouseClick(place.use, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is right at" in place.headline.text(), timeout=20_000)

    def boxes() -> list[ChoiceBox]:
        return [c for c in place.findChildren(ChoiceBox) if c.accessibleName() == "Gain of gain" and c.isVisible()]

    qtbot.waitUntil(lambda: len(boxes()) == 1, timeout=20_000)
    (box,) = boxes()
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert session.levels.stages[0].set_db == 0.0
    session.undo()
    session.undo()
    assert session.levels.stages[0].set_db == 25.5


def test_all_stages_are_swept_together_used_kept_for_the_band_and_the_products_tested(
    qtbot: QtBot, window: MainWindow
) -> None:
    session = window.session
    heron = session.desk.station.part("Heron")
    assert isinstance(heron, Receiver)
    # Three steps each: a sweep of all 84 settings would tell no more here.
    stages = tuple(
        msgspec.structs.replace(s, steps_db=(s.steps_db[0], s.steps_db[len(s.steps_db) // 2], s.steps_db[-1]))
        for s in heron.gain_stages
    )
    session.desk.edit("steps", session.desk.station.with_part(msgspec.structs.replace(heron, gain_stages=stages)))
    session.desk.choose_route(VIA_HEARTH)
    session.desk.hold(True)
    window.go("Levels")
    place = window.stack.currentWidget()
    assert isinstance(place, LevelsPlace)
    qtbot.keyClick(window, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: place.sweep_all.isEnabled() and place.sweep_all.isVisible(), timeout=30_000)
    qtbot.mouseClick(place.sweep_all, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.levels.setting is not None, timeout=90_000)
    assert len(session.levels.steps) == 3 * 3 * 3
    qtbot.waitUntil(place.use.isEnabled, timeout=20_000)
    qtbot.mouseClick(place.use, Qt.MouseButton.LeftButton)
    setting = session.levels.setting
    assert setting is not None
    assert session.desk.route.receiver.gains_db() == setting.gains_db
    (kept,) = session.desk.station.kept_gains
    assert (kept.route, kept.gains_db, kept.reason) == (VIA_HEARTH, setting.gains_db, setting.reason)
    qtbot.waitUntil(lambda: place.use_kept.isVisible() and not place.use_kept.isEnabled(), timeout=20_000)
    session.levels.set_gain("IF", next(db for db in stages[-1].steps_db if db != dict(setting.gains_db)["IF"]))
    qtbot.waitUntil(place.use_kept.isEnabled, timeout=20_000)
    qtbot.mouseClick(place.use_kept, Qt.MouseButton.LeftButton)
    assert session.desk.route.receiver.gains_db() == setting.gains_db
    session.levels.set_gain("input", 0.0)
    # A button that was enabled before the gain changed is none yet: the receiver is being set.
    qtbot.waitUntil(lambda: not session.levels.why_not_test() and place.test.isEnabled(), timeout=30_000)
    qtbot.mouseClick(place.test, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.levels.is_tested and bool(session.levels.lines), timeout=60_000)
    near = min(session.levels.lines, key=lambda line: abs(line[0] - 10e6))
    assert near[1].kind == "signal"
    assert abs(near[0] - 10e6) < 1_000


def test_levels_along_the_line_are_weighed_by_themselves_and_follow_the_surroundings(
    qtbot: QtBot, window: MainWindow
) -> None:
    session = window.session
    window.go("Levels")
    place = window.stack.currentWidget()
    assert isinstance(place, LevelsPlace)
    qtbot.keyClick(window, Qt.Key.Key_Space)

    def seen() -> object:
        line = session.levels.level_line()
        return None if line is None else line.seen

    qtbot.waitUntil(lambda: seen() is not None, timeout=30_000)
    qtbot.waitUntil(lambda: "strongest" in place.along.accessibleDescription(), timeout=20_000)
    session.levels.choose_surroundings("city")
    assert session.desk.station.surroundings == "city"
    qtbot.waitUntil(lambda: place.surroundings.currentText() == "city", timeout=20_000)
    session.undo()
    assert session.desk.station.surroundings == "rural"
