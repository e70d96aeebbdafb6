"""Makes the pictures in docs/screenshots from the demo yard. `./yard shots`; one picture of each main view."""

import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QWidget

from yarddial import wiring
from yarddial.records.logbook import Logbook
from yarddial.session.engine.process import EngineInline
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.bench.card_sheet import CardSheet
from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet
from yarddial.ui.start import dressed_application
from yarddial.yard.demo import LONG_WIRE, demo_station
from yarddial.yard.station import Station

FOLDER = Path(__file__).parent / "screenshots"


def main() -> None:
    """One window, led through the job, photographed on the way."""
    app = dressed_application("day", 1.0)
    FOLDER.mkdir(exist_ok=True)
    log = Path(tempfile.mkdtemp()) / "log.sqlite"
    session = Session(
        demo_station(),
        EngineInline(wiring.open_device_flat_out),
        lambda: Logbook(log),
        begin_check=wiring.begin_check_flat_out,
    )
    window = MainWindow(session)
    # Polled here, step by step, so that each picture shows the same moment every time.
    window._timer.stop()
    window.resize(1280, 800)
    window.show()

    _picture(app, window, "true-empty")
    _measure(session)
    _wait(session, lambda: session.truing.measuring is None)
    session.step_reference(+1)
    _measure(session)
    _run(session, 60)
    _picture(app, window, "true-measured")
    session.truing.apply()
    _measure(session, verifying=True)
    session.step_reference(-1)
    _measure(session, verifying=True)
    session.truing.follow_dial()
    _run(session, 60)
    window.change_theme()
    _picture(app, window, "true-night")
    window.change_theme()
    session.note("Rain since noon, 9 degrees in the shed.")
    window.go("Log")
    _picture(app, window, "log")
    window.go("First light")
    session.checking.start()
    _wait(session, lambda: not session.checking.running)
    _picture(app, window, "first-light")
    window.go("Span")
    _picture(app, window, "span")
    window.go("Levels")
    session.toggle_receiver()
    _run(session, 4)
    session.leveling.sweep("gain")
    _wait(session, lambda: session.leveling.fraction is None)
    _picture(app, window, "levels")
    session.toggle_receiver()
    window.go("Listen")
    session.toggle_receiver()
    _run(session, 60)
    _picture(app, window, "listen")
    session.toggle_receiver()
    window.go("Bench")
    _picture(app, window, "bench")
    window.open_part("Ladder")
    _picture(app, window, "bench-part")
    window.show_card()
    sheet = window.findChildren(CardSheet)[0]
    sheet.target.setText("~/quillet-lane-10-mhz.pdf")
    _picture(app, sheet, "card")
    sheet.close()
    window.bench.show_which_lo()
    which = window.findChildren(WhichLoSheet)[0]
    which.shown.setText("129.9968 MHz")
    which.weigh()
    _picture(app, which, "which-oscillator")
    which.close()
    for part, key, text in (
        ("Patch", "output", "BNC jack"),
        ("Hearth", "isolation_db", "45 dB"),
        ("Ladder", "need", "5 V, 90 mA from 12 V 500 mA on"),
    ):
        session.building.set_value(part, key, text)
    window.change_theme()
    window.bench.sheet._toggle("Ladder")
    _picture(app, window, "bench-findings")
    window.change_theme()
    window.close()
    _empty_yard(app)


def _empty_yard(app: QApplication) -> None:
    log = Path(tempfile.mkdtemp()) / "log.sqlite"
    session = Session(Station("My yard"), EngineInline(wiring.open_device_flat_out), lambda: Logbook(log))
    window = MainWindow(session)
    window._timer.stop()
    window.resize(1280, 800)
    window.show()
    window.go("Bench")
    session.building.add(LONG_WIRE)
    _picture(app, window, "bench-empty")
    window.close()


def _measure(session: Session, *, verifying: bool = False) -> None:
    session.truing.measure(verifying=verifying)
    _wait(session, lambda: session.truing.measuring is None)


def _wait(session: Session, done: Callable[[], bool]) -> None:
    while not done():
        session.poll()


def _run(session: Session, seconds: float) -> None:
    """Let the receiver run for so many of its own seconds."""
    for _ in range(int(seconds * 2.048e6 / 65536)):
        session.poll()


def _picture(app: QApplication, window: QWidget, name: str) -> None:
    for _ in range(6):
        app.processEvents()
    window.grab().save(str(FOLDER / f"{name}.png"))
    print(FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
