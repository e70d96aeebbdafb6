"""Makes the pictures in docs/screenshots from the demo yard. `./yard shots`; one picture of each main view."""

import random
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from math import sin
from pathlib import Path

import msgspec
from PyQt6.QtWidgets import QApplication, QWidget

from yarddial import wiring
from yarddial.drivers.discovery import Listing
from yarddial.drivers.protocol import FoundReceiver
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.engine.link import EngineInline
from yarddial.records.entry import Entry
from yarddial.records.logbook import Logbook
from yarddial.session.helper_process import HelperInline
from yarddial.session.session import Session
from yarddial.ui.from_the_box.sheet import FromTheBox
from yarddial.ui.main_window import MainWindow
from yarddial.ui.manual_sheet import ManualSheet
from yarddial.ui.places.bench.card_sheet import CardSheet
from yarddial.ui.places.bench.which_lo_sheet import WhichLoSheet
from yarddial.ui.places.listen.comparison_sheet import ComparisonSheet
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet
from yarddial.ui.places.true.history_sheet import HistorySheet
from yarddial.ui.places.true.methods.by_tone import ByTone
from yarddial.ui.places.true.methods.sheet import MethodsSheet
from yarddial.ui.receiver_picker.sheet import ReceiverPicker
from yarddial.ui.settings_sheet import SettingsSheet
from yarddial.ui.start import dressed_application
from yarddial.ui.transceiver.sheet import TransceiverSheet
from yarddial.ui.widgets.finder import Finder
from yarddial.yard.demo import demo_station
from yarddial.yard.station import Station

# A picture that takes longer will never come.
MOST_POLLS = 60_000
FOLDER = Path(__file__).parent / "screenshots"


def main() -> None:
    """Photograph every main view."""
    FOLDER.mkdir(exist_ok=True)
    lead_through(_save, 1.0)


def lead_through(take: Callable[[QApplication, QWidget, str], None], text_scale: float, *, more: bool = False) -> None:
    """One window, led through the job; `take` is called with the application, a view and its name.

    more : sheets, too, of which there is no picture in the documents.
    """
    global _take
    _take = take
    app = dressed_application("day", text_scale)
    log = Path(tempfile.mkdtemp()) / "log.sqlite"
    session = Session(
        demo_station(),
        EngineInline(wiring.open_device_flat_out),
        lambda: Logbook(log),
        begin_check=wiring.begin_check_flat_out,
    )
    window = MainWindow(session)
    # Polled here, step by step, so that each picture shows the same moment every time.
    window.poll_timer.stop()
    window.resize(1280, 800)
    window.show()

    _true(app, window)
    _ways(app, window)
    _history(app, window)
    window.go("First light")
    session.device_check.start()
    _wait(session, lambda: not session.device_check.running)
    _picture(app, window, "first-light")
    window.go("Span")
    _picture(app, window, "span")
    _levels(app, window)
    _ghosts(app, window)
    _listen(app, window)
    _bench(app, window)
    _finder(app, window)
    _transceiver(app, window)
    if more:
        _sheets(app, window)
    window.close()
    _empty_yard(app)


def _sheets(app: QApplication, window: MainWindow) -> None:
    """Those that only explain or list, and the bar of the first hour."""
    for name, act, kind in (
        ("settings", window.show_settings, SettingsSheet),
        ("manual", lambda: window.show_manual("numbers"), ManualSheet),
        ("all-oscillators", window.show_all_oscillators, AllOscillatorsSheet),
    ):
        act()
        sheet = window.findChildren(kind)[-1]
        _picture(app, sheet, name)
        sheet.close()
    window.show_first_hour()
    _picture(app, window, "first-hour")


def _true(app: QApplication, window: MainWindow) -> None:
    """Two stations measured, the correction entered, both verified."""
    session = window.session
    _measure(session)
    session.desk.step_reference(+1)
    _measure(session)
    _run(session, 60)
    _picture(app, window, "true-measured")
    session.calibration.apply()
    _measure(session, verifying=True)
    session.desk.step_reference(-1)
    _measure(session, verifying=True)
    session.calibration.follow_dial()
    _run(session, 60)
    window.change_theme()
    _picture(app, window, "true-night")
    window.change_theme()
    session.notes.add("Rain since noon, 9 degrees in the shed.")
    window.go("Log")
    _picture(app, window, "log")


def _levels(app: QApplication, window: MainWindow) -> None:
    """A sweep, and the 3:1 test; the receiver runs from here on."""
    session = window.session
    window.go("Levels")
    _switch(session, on=True)
    _run(session, 4)
    session.levels.weigh()
    _wait(session, lambda: session.levels.running_purpose is None)
    session.levels.sweep("gain")
    _wait(session, lambda: session.levels.fraction is None)
    session.levels.test_products()
    _wait(session, lambda: session.levels.fraction is None)
    _picture(app, window, "levels")


def _listen(app: QApplication, window: MainWindow) -> None:
    """A place heard, and two routes compared; the receiver is off afterwards."""
    session = window.session
    _switch(session, on=False)
    window.go("Listen")
    _switch(session, on=True)
    _run(session, 60)
    _picture(app, window, "listen")
    compare = ComparisonSheet(window, session)
    compare.show()
    first, second = session.comparison.setups()[:2]
    session.comparison.start(first, second)
    _wait(session, lambda: _is_compared(session))
    _picture(app, compare, "compare")
    compare.close()
    _switch(session, on=False)


def _is_compared(session: Session) -> bool:
    """A hand turns the switch whenever the comparison asks for it."""
    if session.comparison.waits_for_hand and not session.plug_check.running:
        for move in session.hands.asked_moves()[:1]:
            session.hands.confirm(move)
    return not session.comparison.running


def _bench(app: QApplication, window: MainWindow) -> None:
    """The line, a part, the card, which oscillator, and what is wrong."""
    session = window.session
    window.go("Bench")
    _picture(app, window, "bench")
    window.open_part("Ladder")
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


def _finder(app: QApplication, window: MainWindow) -> None:
    """Plain words, and what they find."""
    window.find_anything()
    finder = window.findChildren(Finder)[-1]
    finder.line.setText("which antenna is better")
    _picture(app, finder, "finder")
    finder.close()


def _transceiver(app: QApplication, window: MainWindow) -> None:
    """The made-up transceiver, linked and not yet followed."""
    window.show_transceiver()
    sheet = window.findChildren(TransceiverSheet)[-1]
    sheet.links.link.click()
    _wait(window.session, lambda: window.session.rig.shown is not None)
    _picture(app, sheet, "transceiver")
    window.session.rig.unlink()
    sheet.close()


def _ways(app: QApplication, window: MainWindow) -> None:
    """A tone heard in three ways, and what it tells."""
    session = window.session
    window.go("True")
    session.desk.dial(3.215e6)
    sheet = MethodsSheet(window, session)
    sheet.show()
    sheet.names.setCurrentRow(1)
    page = sheet.page
    assert isinstance(page, ByTone)
    page.hear_now()
    _wait(session, lambda: not session.live_methods.running)
    while page.told is None:
        app.processEvents()
    sheet.close()
    session.desk.dial(10e6)


def _ghosts(app: QApplication, window: MainWindow) -> None:
    """A tower that passes the converter, and a filter against it."""
    session = window.session
    session.desk.choose_mode("am")
    window.go("Ghosts")
    session.desk.dial(4.3525e6)
    _wait(session, lambda: not session.span_test.why_not())
    session.span_test.test()
    _wait(session, lambda: not session.span_test.running)
    _until(app, lambda: session.mitigation.remedies is not None)
    _picture(app, window, "ghosts")
    session.desk.dial(10e6)
    _wait(session, lambda: not session.span_test.why_not())
    session.span_test.test()
    _wait(session, lambda: not session.span_test.running)
    window.go("Bands")
    _wait(session, lambda: bool(session.board.last))
    _picture(app, window, "bands")


def _history(app: QApplication, window: MainWindow) -> None:
    """Made-up months of a crystal that follows the shed's temperature."""
    session = window.session
    chance = random.Random(3)
    for days in (170, 150, 121, 98, 75, 52, 30, 14, 6):
        at_utc = (datetime.now(UTC) - timedelta(days=days)).strftime("%Y-%m-%dT%H:%M:%SZ")
        warmth = 16 + 8 * sin((days - 20) / 45) + chance.gauss(0, 1.5)
        ppm = 26.9 + 0.3 * (170 - days) / 170 + 0.03 * (warmth - 16) + chance.gauss(0, 0.01)
        told = {"oscillators": {"crystal:Finch": (ppm, 0.004)}}
        session.log.add(
            Entry(
                station=session.desk.station.name, kind="observation", route="Discone direct", at_utc=at_utc, data=told,
                text=f"Harbour pilot carrier 145.200 MHz reads {-145.2 * ppm:.1f} Hz", temperature_c=round(warmth, 1),
            )
        )  # fmt: skip
    session.calibration.recall()
    sheet = HistorySheet(window, session)
    sheet.show()
    _picture(app, sheet, "history")
    sheet.close()


def _empty_yard(app: QApplication) -> None:
    """The first start, and the choice of a receiver, with made-up ones plugged in."""
    log = Path(tempfile.mkdtemp()) / "log.sqlite"
    helpers = msgspec.structs.replace(wiring.choice_helpers(inline=True), search=lambda: HelperInline(_plugged_in))
    session = Session(
        Station("My yard"), EngineInline(wiring.open_device_flat_out), lambda: Logbook(log), helpers=lambda: helpers
    )
    window = MainWindow(session)
    window.poll_timer.stop()
    window.resize(1280, 800)
    window.show()
    window.go("Bench")
    box = FromTheBox(window, session, lambda: None, lambda: None, lambda _: False, lambda: None)
    box.show()
    _wait(session, lambda: session.receiver_choice.listing is not None)
    box.receiver.found.chosen.emit("simulated:finch")
    _wait(session, lambda: not session.receiver_choice.is_asking)
    while box.question is not None and box.question.name != "feeding":
        more = {
            "antennas": {"antennas": ("End-fed wire", "Short whip")},
            "between": {"between": ("Unun 9:1",), "converter": "Up-converter 125"},
        }.get(box.question.name, {})
        box._answer(**more)
        box.next.click()
    box.back.click()
    app.processEvents()
    _picture(app, box, "from-the-box")
    while box.question is not None:
        box.next.click()
    box.build.click()
    picker = ReceiverPicker(window, session, "Finch")
    picker.show()
    _wait(session, lambda: session.receiver_choice.listing is not None)
    _run(session, 1)
    _picture(app, picker, "choose-receiver")
    picker.close()
    window.close()


def _plugged_in() -> Iterator[Listing]:
    rule = 'SUBSYSTEM=="video4linux", KERNEL=="swradio[0-9]*", TAG+="uaccess"'
    why = "you may not open /dev/swradio1: put this rule in /etc/udev/rules.d/61-swradio.rules, then plug it in anew"
    simulated = [("simulated", found) for found in SimulatedDriver().discover()]
    while True:
        yield Listing((
            ("kernel", FoundReceiver("swradio0", "Loft stick", "USB 1-1.4", 480.0)),
            ("kernel", FoundReceiver("swradio1", "Shed stick", "USB 2-3", 480.0, "denied", why, rule)),
            ("sound", FoundReceiver("Line in", "Line in", "sound card")), *simulated,
        ))  # fmt: skip


def _measure(session: Session, *, verifying: bool = False) -> None:
    session.calibration.measure(verifying=verifying)
    _wait(session, lambda: session.calibration.measuring is None)


def _switch(session: Session, *, on: bool) -> None:
    if session.live_receiver.wanted != on:
        session.toggle_receiver()


def _wait(session: Session, done: Callable[[], bool]) -> None:
    for _ in range(MOST_POLLS):
        if done():
            return
        session.poll()
    raise RuntimeError("what the picture shows does not come: see what keeps it")


def _until(app: QApplication, done: Callable[[], bool]) -> None:
    """Let what is worked out in a thread come."""
    while not done():
        app.processEvents()


def _run(session: Session, seconds: float) -> None:
    """Let the receiver run for so many of its own seconds."""
    for _ in range(int(seconds * 2.048e6 / 65536)):
        session.poll()


def _settle(app: QApplication, window: QWidget) -> None:
    """What is worked out beside the window, and what the last change makes of the state around the place."""
    main: object = window
    while isinstance(main, QWidget) and not isinstance(main, MainWindow):
        main = main.parent()
    if not isinstance(main, MainWindow):
        return
    quiet = 0
    for _ in range(400):
        for _ in range(6):
            app.processEvents()
        main.session.background.poll()
        main.session.overview.refresh()
        quiet = 0 if main.session.background.is_busy else quiet + 1
        if quiet == 3:
            break
        time.sleep(0.01)


def _picture(app: QApplication, window: QWidget, name: str) -> None:
    _settle(app, window)
    for _ in range(6):
        app.processEvents()
    _take(app, window, name)


def _save(app: QApplication, window: QWidget, name: str) -> None:
    window.grab().save(str(FOLDER / f"{name}.png"))
    print(FOLDER / f"{name}.png")


_take = _save


if __name__ == "__main__":
    main()
