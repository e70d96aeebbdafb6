"""The demo's switch is turned on its table, said to be done, and checked, as a person would."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from hand import hand_station
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.session.station.demo_table import DemoTable
from yarddial.ui.main_window import MainWindow
from yarddial.ui.plugs.sheet import PlugsSheet
from yarddial.ui.start import dressed_application
from yarddial.yard.demo import VIA_HEARTH, VIA_LADDER

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    dressed_application("day", 1.0)
    table = DemoTable(lambda: tmp_path / "table.json")
    engine = EngineInline(wiring.open_device_flat_out, 6)
    made = MainWindow(Session(hand_station(), engine, lambda: Logbook(tmp_path / "log.sqlite"), table=table))
    qtbot.addWidget(made)
    made.show()
    qtbot.waitActive(made)
    yield made
    made.close()


def test_a_move_is_asked_for_shown_contradicted_and_confirmed(qtbot: QtBot, window: MainWindow) -> None:
    session = window.session
    session.desk.hold(True)
    session.desk.choose_route(VIA_HEARTH)
    qtbot.mouseClick(window.places.owner.start, LEFT)
    qtbot.waitUntil(lambda: session.live_receiver.running, timeout=20_000)
    asked = "By hand: turn Patch to Hearth (it stood at Ladder)"
    qtbot.waitUntil(lambda: [f.what for f in window.findings.findings][:1] == [asked], timeout=20_000)
    qtbot.mouseClick(window.findings.rows[0].fix, LEFT)
    (sheet,) = window.findChildren(PlugsSheet)
    assert sheet.headline.text() == "Turn Patch to Hearth (it stood at Ladder)."
    # Nothing was turned on the table.
    qtbot.mouseClick(sheet.confirm, LEFT)
    qtbot.waitUntil(lambda: "it is not done" in sheet.headline.text(), timeout=60_000)
    assert sheet.checked.text().startswith(f"Northmark Time is still received over {VIA_LADDER}")
    # Now it is.
    sheet.table.switch.setCurrentText("Hearth")
    sheet.table.switch.activated.emit(1)
    qtbot.mouseClick(sheet.confirm, LEFT)
    qtbot.waitUntil(lambda: sheet.headline.text().startswith(f"{VIA_HEARTH} is connected"), timeout=60_000)
    assert not sheet.confirm.isEnabled()
    qtbot.waitUntil(lambda: session.live_receiver.is_tuned, timeout=20_000)
