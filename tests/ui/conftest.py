"""A window on the demo yard."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from slow_yards import slow_station
from yarddial import wiring
from yarddial.engine.process import EngineProcess
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.start import dressed_application


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    """The demo yard, its receiver in a process of its own and flat out."""
    dressed_application("day", 1.0)
    made = MainWindow(
        Session(
            slow_station(),
            EngineProcess(wiring.open_device_flat_out, in_thread=False),
            lambda: Logbook(tmp_path / "log.sqlite"),
            begin_check=wiring.begin_check_flat_out,
        )
    )
    # A second tells as much as a test needs; the engine's tests and the whole task tell how long is long enough.
    made.session.calibration.chosen_s = 1.0
    qtbot.addWidget(made)
    made.show()
    made.activateWindow()
    qtbot.waitActive(made)
    yield made
    made.close()
