"""The window: strip and dial on top, places at the left, the place in the middle, findings along the bottom."""

from collections.abc import Callable
from functools import partial
from types import TracebackType
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QMainWindow, QVBoxLayout, QWidget

from yarddial.session.receiver.picture import DIAL_HALF_SPANS_HZ, next_half_span_hz
from yarddial.session.session import Session
from yarddial.ui.dial.dial import Dial, nudge_steps
from yarddial.ui.finding_fixes import FindingFixes
from yarddial.ui.findings_bar import FindingsBar
from yarddial.ui.opener import Files, Opener, dropped_file, is_part
from yarddial.ui.place_stack import PlaceStack
from yarddial.ui.places_list import PlacesList
from yarddial.ui.theme import lettering, style
from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import DAY, NIGHT, palette
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import hairline
from yarddial.ui.window_actions import window_actions
from yarddial.ui.window_keys import WindowKeys
from yarddial.ui.window_menu import MenuButton, pop_up
from yarddial.ui.yard_strip.strip import YardStrip
from yarddial.yard.fault_log import log_fault
from yarddial.yard.places import PLACE_NAMES, PLACES, PlaceName
from yarddial.yard.working import Working

if TYPE_CHECKING:
    from yarddial.ui.first_hour.guide import Guide
    from yarddial.ui.places.bands.place import BandsPlace
    from yarddial.ui.places.bench.place import BenchPlace
    from yarddial.ui.places.log.place import LogPlace
    from yarddial.ui.places.true.place import TruePlace
    from yarddial.ui.widgets.finder import Findable

POLL_MS, IDLE_MS = 16, 200


class MainWindow(QMainWindow):
    """The main window: joins its parts and polls the session."""

    def __init__(self, session: Session, files: Files | None = None) -> None:
        super().__init__()
        self.session = session
        self.opener = Opener(self, files, MainWindow, session.save_now)
        self.setAcceptDrops(True)
        self._fault_shown = False
        self.guide: Guide | None = None
        kind = "demo yard – " if session.file.is_temporary else ""
        self.setWindowTitle(f"{session.desk.station.name} – {kind}Yard Dial")
        self.resize(1280, 800)
        self.setMinimumSize(900, 600)
        self.strip, self.dial = YardStrip(session), Dial(session)
        self.fixes = FindingFixes(
            self, session, self.opener, self.go, self.strip.attempt, self.copy_fault, self.open_part, self.strip.say
        )
        self.places = PlacesList(list(PLACE_NAMES))
        self.stack = PlaceStack(session, self._join_place)
        self.findings = FindingsBar()
        self.menu = MenuButton(self.strip)
        self._chrome: list[QWidget] = []
        self._lay_out()
        self._join()
        # The first place is created after the first paint, which shows strip and dial.
        left: PlaceName = next((name for name in PLACE_NAMES if name == session.left_off.place), "True")
        self._first_place: PlaceName | None = left if session.desk.station.routes else "Bench"
        self.places.show_chosen(PLACE_NAMES.index(self._first_place))
        session.overview.refresh()
        self._show_state()
        self.poll_timer = QTimer(self)
        self.poll_timer.timeout.connect(self._poll)
        self.poll_timer.start(POLL_MS)
        # Not before the first paint and the start of use: it takes a core for a second.
        self._warm = QTimer(self)
        self._warm.setSingleShot(True)
        self._warm.timeout.connect(session.warm)
        self._warm.start(1500)

    def _poll(self) -> None:
        """Poll often while something runs, and seldom while the receiver is off."""
        self.session.poll()
        wanted_ms = POLL_MS if self.session.is_busy else IDLE_MS
        if self.poll_timer.interval() != wanted_ms:
            self.poll_timer.start(wanted_ms)

    def hurry(self) -> None:
        """Poll at once and often, because something was begun."""
        if self.poll_timer.interval() != POLL_MS:
            self.poll_timer.start(POLL_MS)

    def _lay_out(self) -> None:
        top, middle, page = QWidget(), QWidget(), QWidget()
        page.setObjectName("paper")
        # The page may have the focus, so that plain keys reach the window.
        page.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        row = QHBoxLayout(top)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.strip, 1)
        row.addWidget(hairline(vertical=True))
        row.addWidget(self.dial)
        self.dial.setFixedWidth(px(372))
        top.setFixedHeight(px(150))
        columns = QHBoxLayout(middle)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(0)
        divider = hairline(vertical=True)
        columns.addWidget(self.places)
        columns.addWidget(divider)
        columns.addWidget(self.stack, 1)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        under = hairline()
        for widget in (top, under, middle, self.findings):
            layout.addWidget(widget, 1 if widget is middle else 0)
        self._chrome = [top, under, self.places, divider, self.findings]
        self.setCentralWidget(page)
        page.setFocus()

    def _join(self) -> None:
        self.places.chosen.connect(lambda index: self.go(PLACE_NAMES[index]))
        self.strip.opened.connect(self.open_part)
        self.strip.add_wanted.connect(self.put_in)
        self.strip.rename_wanted.connect(lambda name: self.open_part(name, "name"))
        self.strip.export_wanted.connect(lambda name: self.bench.export_part(name))  # noqa: PLW0108 - it opens Bench
        self.findings.fixed.connect(self.fixes.fix)
        self.dial.entry.ranged.connect(self._show_range)
        self.menu.clicked.connect(lambda: pop_up(self.menu, window_actions(self), self.find_anything))
        session = self.session
        session.overview.on_state_changed(self._show_state)
        session.overview.on_stale(self.hurry)
        session.faults.on_fault(self._tell_fault)
        self.places.owner.stopped.connect(self._stop_job)
        self.places.owner.started.connect(session.toggle_receiver)
        self._keys = WindowKeys(self, self._acts())
        if isinstance(app := QApplication.instance(), QApplication):
            app.focusChanged.connect(self._focus_moved)

    def _focus_moved(self, before: QWidget | None, now: QWidget | None) -> None:
        """Let plain keys sleep where a text field was closed under the person's typing."""
        is_closed = isinstance(before, QLineEdit) and not before.isVisible() and self.isAncestorOf(before)
        if is_closed and not isinstance(now, QLineEdit):
            self._keys.sleep()
        elif now is not None and QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._keys.wake()

    def go(self, name: PlaceName) -> None:
        """Open a place, creating it if necessary."""
        self._keys.wake()
        self._first_place = None
        self.stack.open(name)
        self.session.place_shown(name)
        self.places.show_chosen(PLACE_NAMES.index(name))

    def _join_place(self, name: PlaceName, place: QWidget) -> None:
        """Connect a new place to the window."""
        if name == "Bench":
            bench = cast("BenchPlace", place)
            bench.add_wanted.connect(self.put_in)
            bench.stations_wanted.connect(self.fixes.show_known_stations)
        if name == "Bands":
            cast("BandsPlace", place).wanted.connect(self.go)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Create the first place after the first paint."""
        super().paintEvent(event)
        if self._first_place and not self.stack.has_any:
            QTimer.singleShot(1, self._open_first_place)

    def _open_first_place(self) -> None:
        if self._first_place:
            self.go(self._first_place)
            if self.opener.has_files and not self.session.desk.station.parts:
                self.fixes.begin_from_the_box()

    @property
    def is_furnished(self) -> bool:
        """True once a place is shown."""
        return self.stack.is_furnished

    @property
    def bench(self) -> "BenchPlace":
        """Place Bench, created if necessary."""
        self.go("Bench")
        return cast("BenchPlace", self.stack.place("Bench"))

    @property
    def true(self) -> "TruePlace":
        """Place True; the window opens on it."""
        return cast("TruePlace", self.stack.place("True"))

    @property
    def log(self) -> "LogPlace":
        """Place Log, created if necessary."""
        self.go("Log")
        return cast("LogPlace", self.stack.place("Log"))

    def change_theme(self) -> None:
        """Switch between day and night."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            night = palette() is DAY
            style.apply(app, NIGHT if night else DAY)
            self.session.preferences.change(theme="night" if night else "day")

    def show_first_hour(self) -> None:
        """Start the guide of the first hour."""
        from yarddial.ui.first_hour.guide import Guide

        if self.guide is None:
            self.guide = Guide(self, self.session, self.open_place)
            page = self.centralWidget()
            layout = page.layout() if page is not None else None
            if isinstance(layout, QVBoxLayout):
                layout.insertWidget(layout.indexOf(self.findings), self.guide)
        self.guide.begin()

    def open_place(self, name: PlaceName) -> QWidget:
        """Open a place and return it."""
        self.go(name)
        return self.stack.place(name)

    def show_settings(self) -> None:
        """Open the settings."""
        from yarddial.ui.settings_sheet import SettingsSheet

        reopen = self.reopen if self.opener.has_files and self.session.file.saver is not None else None
        SettingsSheet(self, self.session, self.change_theme, reopen).show()

    def attempt(self, act: Callable[[], object]) -> None:
        """Run an action; a refusal is said on the strip."""
        self.strip.attempt(act)

    def say(self, sentence: str) -> None:
        """Say a sentence on the strip."""
        self.strip.say(sentence)

    def reopen(self) -> None:
        """Reopen the yard in a new window with the new font size; the receiver stops."""
        saver = self.session.file.saver
        if saver is None or not self.opener.has_files:
            self.say("The lettering changes when the program is started next")
        else:
            lettering.set_scale(self.session.preferences.now.text_scale)
            # The new window shows the same demo yard: nothing goes.
            self.session.unkept.let_demo_go()
            self.opener.open(saver.path)

    def toggle_chart_only(self) -> None:
        """Hide everything but the place, or show it again."""
        hidden = self._chrome[0].isVisible()
        for widget in self._chrome:
            widget.setVisible(not hidden)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Handle plain keys that no focused widget wanted."""
        if event is None or not self._obey(event):
            super().keyPressEvent(event)

    def _obey(self, event: QKeyEvent) -> bool:
        if self._keys.is_asleep and event.text().strip():
            self.say("Typing went nowhere: click a place, or press Esc, then the keys work again")
        is_plain = not event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.MetaModifier)
        if is_plain and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.dial.nudge(nudge_steps(event))
            return True
        return self._keys.obey(event)

    def _acts(self) -> dict[str, Callable[[], object]]:
        """Action for each key of the table."""
        session = self.session
        return {
            "toggle the receiver": session.toggle_receiver,
            "go to the dial": self.focus_dial,
            "previous station": lambda: self.step_station(-1),
            "next station": lambda: self.step_station(+1),
            "measure": self.measure,
            "verify": lambda: self.measure(verifying=True),
            "apply": session.calibration.apply,
            "show the working": lambda: self._show_working(session.calibration.state().working()),
            "show the fit": self.show_fit,
            "show the card": self.show_card,
            "hold the route": lambda: session.desk.hold(not session.desk.station.held),
            "write a note": self.write_note,
            "go to the strip": self.strip.focus_first_plate,
            "put a part in": self.put_in,
            "new route": self.new_route,
            "follow the transceiver": self.follow_transceiver,
            "show the transceiver": self.show_transceiver,
            "choose the mode": self.choose_mode,
            "next clear place above": lambda: self.next_clear(+1),
            "next clear place below": lambda: self.next_clear(-1),
            "begin a yard": self.opener.ask_new,
            "open a yard": self.opener.ask_open,
            "zoom in": lambda: self.zoom(-1),
            "zoom out": lambda: self.zoom(+1),
            **{f"place {name}": partial(self.go, name) for name in PLACE_NAMES},
            "undo": session.undo,
            "redo": session.redo,
            "day or night": self.change_theme,
            "settings": self.show_settings,
            "find anything": self.find_anything,
            "manual": self.show_manual,
            "picture only": self.toggle_chart_only,
            "cancel": self.cancel_work,
            "list the keys": self.show_keys,
        }

    def step_station(self, direction: int) -> None:
        """Go to the next known station, or report that there is none."""
        if self.session.desk.step_reference(direction) is None:
            side = "above" if direction > 0 else "below"
            self.strip.say(f"No known station lies {side} the dial within reach: add one under Known stations")

    def focus_dial(self) -> None:
        """Focus the dial and select its text."""
        self.dial.entry.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.dial.entry.selectAll()

    def show_card(self) -> None:
        """Open the settings card for the dial frequency."""
        self.bench.show_card()

    def put_in(self, index: int | None = None) -> None:
        """Choose a part from the shelf, the yard or a file, and insert it into the active route."""
        from yarddial.ui.shelf_finder import open_shelf

        open_shelf(self, self.session, index, self._attempt_on_strip)

    def new_route(self) -> None:
        """Add a route."""
        self._attempt_on_strip(self.session.building.new_route)

    def _attempt_on_strip(self, act: Callable[[], object]) -> None:
        self.strip.attempt(act)
        self.strip.focus_last_gap()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Accept a station file, a part or a measured filter."""
        if event is not None and dropped_file(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open a dropped station file, or insert a dropped part into the active route."""
        path = dropped_file(event.mimeData()) if event is not None else None
        if path is None or event is None:
            return
        event.acceptProposedAction()
        act = self.session.building.import_part if is_part(path) else self.opener.open
        self.strip.attempt(partial(act, path))

    def write_note(self) -> None:
        """Go to the note field of the log."""
        self.log.note.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def cancel_work(self) -> None:
        """Cancel the receiver's user, except listening and recording."""
        self.session.jobs.cancel_all()

    def _show_range(self, low_hz: float, high_hz: float) -> None:
        """Show a dialled range in Listen."""
        self.go("Listen")
        self.strip.say(self.session.listening.show_range(low_hz, high_hz))

    def zoom(self, steps: int) -> None:
        """Zoom the picture out (+1) or in (-1)."""
        if self.session.listening.is_open:
            self.session.listening.zoom(steps)
            return
        live_receiver = self.session.live_receiver
        live_receiver.picture.show(next_half_span_hz(live_receiver.picture.half_span_hz, steps, DIAL_HALF_SPANS_HZ))

    def show_which_oscillator(self) -> None:
        """Open the search for a converter's real oscillator."""
        self.go("Bench")
        self.bench.show_which_lo()

    def show_all_oscillators(self) -> None:
        """Open the list of all oscillators."""
        self.go("True")
        self.true.show_all()

    def show_transceiver(self) -> None:
        """Open the transceiver."""
        from yarddial.ui.transceiver.sheet import TransceiverSheet

        TransceiverSheet(self, self.session).show()
        self.hurry()

    def follow_transceiver(self) -> None:
        """Follow the transceiver, leave it, or return; open its sheet where an acknowledgement is needed."""
        rig = self.session.rig
        if rig.status == "off" or not rig.toggle():
            self.show_transceiver()

    def next_clear(self, direction: int) -> None:
        """Dial the next gap between stations, in Listen."""
        if not self.session.listening.is_open:
            self.go("Listen")
        self.strip.say(self.session.listening.next_clear(direction))

    def choose_mode(self) -> None:
        """Choose the mode by its name."""
        self.find_anything(next(action.findable() for action in window_actions(self) if action.name == "Mode"))

    def find_anything(self, first: "Findable | None" = None) -> None:
        """Find anything by a few letters, or dial a frequency; `first` is chosen at once, and asks."""
        from yarddial.ui.findables import dialled, findables
        from yarddial.ui.widgets.finder import Finder

        Finder(self, findables(self), partial(dialled, self), first=first).open()

    def show_fit(self) -> None:
        """Show the working of the fit, or say that there is none."""
        self._show_working(self.session.calibration.fit_working())

    def _show_working(self, working: Working) -> None:
        from yarddial.ui.widgets.working_sheet import working_sheet

        working_sheet(self, working).show()

    def show_keys(self) -> None:
        """Show the list of keys."""
        self.show_manual("keys")

    def show_glossary(self) -> None:
        """Show the glossary."""
        self.show_manual("words")

    def show_manual(self, page: str = "") -> None:
        """Open a manual page; by default that of the focused widget."""
        from yarddial.ui.manual_sheet import ManualSheet

        ManualSheet(self, page or self.page_in_sight()).show()

    def page_in_sight(self) -> str:
        """Manual page for the focused widget, else for the place shown."""
        from yarddial.ui.manual_sheet import page_of_focus

        shown = self.stack.shown
        of_place = next((place.manual_page for place in PLACES if place.name == shown), "start")
        return page_of_focus({self.dial: "start", self.findings: "start", self.strip: "bench"}, of_place)

    def open_part(self, name: str, key: str = "") -> None:
        """Show a part on Bench, on a route that contains it."""
        desk = self.session.desk
        passing = [route.name for route in desk.station.routes if name in route.parts]
        if passing and desk.station.route not in passing:
            desk.choose_route(passing[0])
        self.bench.open_part(name, key)

    def _stop_job(self, lease_id: int) -> None:
        for lease in self.session.jobs.leases:
            if lease.id == lease_id:
                self.session.stop_job(lease)

    def measure(self, *, verifying: bool = False) -> None:
        """Measure the known station at the dial; Listen gives up the receiver for it."""
        if self.session.listening.is_open:
            self.go("True")
        self.session.calibration.measure(verifying=verifying)

    def _show_state(self) -> None:
        overview = self.session.overview
        set_tip(self.findings, overview.trouble)
        if overview.state.verdicts:
            self.places.show_verdicts([overview.state.verdicts[name] for name in PLACE_NAMES])
        self.places.owner.show_owner(overview.state.owner, self.session.live_receiver.wanted)
        self.findings.show_findings(overview.state.findings, overview.state.quiet)

    def report_fault(self, kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        """Report an error that nothing else caught."""
        import traceback

        traceback.print_exception(kind, fault, trace)
        self.session.faults.begin()
        log_fault("the window failed", fault)

    def _tell_fault(self) -> None:
        """Show a fault once in a sheet; afterwards it is a finding."""
        if self._fault_shown:
            return
        self._fault_shown = True
        from yarddial.ui.fault_sheet import fault_sheet

        fault_sheet(self, self.session.faults.kept[-1], self.copy_fault).show()

    def copy_fault(self) -> None:
        """Copy the details of the faults for the developer."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.session.faults.details)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop everything in order; first ask about work that cannot be kept."""
        unkept = self.session.unkept.now()
        if event is not None and unkept is not None and (self.opener.has_files or not unkept.is_demo):
            from yarddial.ui.unkept_sheet import ask_first

            event.ignore()
            ask_first(self, self.session.unkept, unkept, self.fixes.adopt_demo)
            return
        self.poll_timer.stop()
        self.session.close()
        super().closeEvent(event)
