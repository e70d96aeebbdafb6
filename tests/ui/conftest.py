"""A window on the demo yard."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.ui.main_window import MainWindow
from yarddial.ui.start import dressed_application


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path) -> Iterator[MainWindow]:
    """The demo yard, its receiver in a process of its own and flat out."""
    dressed_application("day", 1.0)
    made = MainWindow(wiring.demo_session(flat_out=True, folder=tmp_path))
    qtbot.addWidget(made)
    made.show()
    made.activateWindow()
    qtbot.waitActive(made)
    yield made
    made.close()
