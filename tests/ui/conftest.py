"""Windows on the demo yard."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from yarddial import wiring
from yarddial.engine.link import EngineInline, EngineLink
from yarddial.engine.process import EngineProcess
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.opener import Opener
from yarddial.ui.start import dressed_application
from yarddial.ui.theme import lettering
from yarddial.yard.station import Station


@pytest.fixture(autouse=True)
def nothing_left_on_the_screen() -> Iterator[None]:
    """Widgets of one test are gone before the next: thousands of them would be dressed anew with every window."""
    yield
    app = QApplication.instance()
    if isinstance(app, QApplication):
        for widget in app.topLevelWidgets():
            widget.close()
            widget.deleteLater()
        # Without a running loop of events nothing else delivers them.
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete)


# Blocks that the receiver gives while the window looks once: some 0.2 s of its time.
BLOCKS_PER_POLL = 6


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path, yard_station: Station) -> Iterator[MainWindow]:
    """The demo yard, its receiver in this process and flat out."""
    yield from shown(qtbot, tmp_path, yard_station, EngineInline(wiring.open_device_flat_out, BLOCKS_PER_POLL))


@pytest.fixture
def process_window(qtbot: QtBot, tmp_path: Path, yard_station: Station) -> Iterator[MainWindow]:
    """The same with its receiver in a process of its own, where that is what is tested."""
    yield from shown(qtbot, tmp_path, yard_station, EngineProcess(wiring.open_device_flat_out, in_thread=False))


def shown(qtbot: QtBot, tmp_path: Path, station: Station, engine: EngineLink) -> Iterator[MainWindow]:
    """A window on the demo yard, until the test has ended."""
    dressed_application("day", 1.0)
    log = tmp_path / "log.sqlite"
    begin = wiring.begin_check_flat_out
    made = MainWindow(Session(station, engine, lambda: Logbook(log), begin_check=begin))
    # A second tells as much as a test needs; the engine's tests and the whole task tell how long is long enough.
    made.session.calibration.chosen_s = 1.0
    qtbot.addWidget(made)
    made.show()
    made.activateWindow()
    qtbot.waitActive(made)
    yield made
    made.close()


@pytest.fixture
def demo_window(qtbot: QtBot) -> Iterator[MainWindow]:
    """The demo yard as a person opens it, with its own folder, its files, and a receiver that runs flat out."""
    Opener.latest = None
    dressed_application("day", 1.0)
    window = MainWindow(wiring.demo_session(flat_out=True), wiring.OwnFiles())
    qtbot.addWidget(window, before_close_func=lambda widget: widget.session.unkept.give_up())
    window.show()
    qtbot.waitUntil(lambda: window.is_furnished, timeout=10_000)
    yield window
    following, Opener.latest = Opener.latest, None
    for shown_window in (window, following):
        if isinstance(shown_window, MainWindow):
            shown_window.session.unkept.give_up()
            shown_window.close()
    lettering.set_scale(1.0)
    dressed_application("day", 1.0)
