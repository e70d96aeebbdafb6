"""A whole evening by random actions in the real window, and what must agree after each of them."""

import random
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtWidgets import QApplication, QDialog, QGridLayout, QLabel

from slow_yards import slow_station
from yarddial import wiring
from yarddial.drivers.protocol import Capabilities
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.calibration.verdict import place_verdict, true_verdict
from yarddial.session.receiver.capabilities_in_yard import with_capabilities
from yarddial.session.session import Session
from yarddial.ui.main_window import MainWindow
from yarddial.ui.places.true.all_oscillators_sheet import AllOscillatorsSheet
from yarddial.ui.widgets.mark import NAMES, MarkSign
from yarddial.yard.modes import mode_named
from yarddial.yard.parts import Converter, Receiver
from yarddial.yard.places import PLACE_NAMES

DIALS = (
    "10 MHz",
    "northmark 5",
    "saltpan",
    "harbour",
    "lantern",
    "40 m",
    "7.1 usb",
    "96.2 fm",
    "145.65",
    "5 GHz",
    "1.1",
)
DEVICES = ("simulated:finch", "simulated:finch", "simulated:heron")
BLOCKS_PER_POLL, PATIENCE = 30, 12_000
Oscillator = tuple[str, str, str]


class Evening:
    """A person at the demo yard. `wrong` collects what did not agree, as sentences."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.chance = random.Random(seed)
        engine = EngineInline(wiring.open_device_flat_out, BLOCKS_PER_POLL)
        self.session = session = Session(slow_station(), engine, lambda: Logbook(folder / "log.sqlite"))
        session.calibration.chosen_s = 1.0
        self.window = MainWindow(session)
        self.window.show()
        self.sheet: AllOscillatorsSheet | None = None
        told = next(iter(wiring.ask_receiver(DEVICES[0]))).capabilities
        assert told is not None
        self.told: Capabilities = told
        self.wrong: list[str] = []
        self.seen: Counter[str] = Counter()
        self.done: list[str] = []
        # The entered value of each part, of a receiver for each of its devices.
        self.entered: dict[str, float] = {}
        self.settle()
        self.entered = self.entered_now()

    # What a person does

    def actions(self) -> dict[str, Callable[[], object]]:
        session, window = self.session, self.window
        return {
            "dial": self._dial, "measure": self._measure, "measure again": self._measure, "and again": self._measure,
            "verify": lambda: window.measure(verifying=True),
            "apply": window.true.apply.click, "undo": session.undo, "redo": session.redo,
            "route": lambda: session.desk.choose_route(self.chance.choice(session.desk.station.routes).name),
            "place": lambda: window.go(self.chance.choice(PLACE_NAMES)), "theme": window.change_theme,
            "hold": lambda: session.desk.hold(not session.desk.station.held), "receiver": session.toggle_receiver,
            "temperature": lambda: session.calibration.note_temperature(str(self.chance.randrange(-10, 40))),
            "note": lambda: session.notes.add("heard"), "forget": session.calibration.forget,
            "device": self._device, "sheet": self._sheet, "walk": self._walk, "enter all": self._enter_all,
            "region": lambda: session.board.choose_region(self.chance.choice((1, 2, 3))),
            "cancel": window.cancel_work,
        }  # fmt: skip

    def act(self, name: str = "") -> None:
        """One action, by chance where none is named; then everything settles and is compared."""
        name = name or self.chance.choice(sorted(self.actions()))
        before, measured = self.entered_now(), self.session.calibration.oscillator_estimates.fitted_s
        until = self.deadline()
        self.done.append(name)
        count = len(self.session.calibration.observations)
        self.actions()[name]()
        self.settle()
        self.seen["measured"] += max(len(self.session.calibration.observations) - count, 0)
        self.seen["entered"] += self.entered_now() != before
        self._compare(name)
        self._compare_entered(name, before)
        later = self.deadline()
        if name in ("note", "theme", "place") and measured == self.session.calibration.oscillator_estimates.fitted_s:
            self._check(later == until, f"the deadline slid from {until} to {later}")

    def _dial(self) -> None:
        entry = self.window.dial.entry
        entry.setText(self.chance.choice(DIALS))
        entry.setModified(True)
        entry._try()

    def _measure(self) -> None:
        known = self.chance.choice([r for r in self.session.desk.station.references if r.frequency_hz < 1e9])
        self.session.desk.dial(known.frequency_hz)
        self.window.measure()

    def _device(self) -> None:
        receiver = self.session.desk.route.receiver
        if receiver.name != "Finch":
            return
        station = with_capabilities(
            self.session.desk.station, "Finch", self.told, self.chance.choice(DEVICES), "2026-12-02"
        )
        rate_hz = receiver.rate_hz
        part = msgspec.structs.replace(station.part("Finch"), rate_hz=rate_hz, rates_hz=receiver.rates_hz)  # type: ignore[type-var]
        self.session.desk.edit("choose", station.with_part(part))

    def _sheet(self) -> None:
        if self.sheet is not None:
            self.sheet.close()
            self.sheet = None
        else:
            self.sheet = AllOscillatorsSheet(self.window, self.session)
            self.sheet.show()

    def _walk(self) -> None:
        sequence = self.session.calibration_sequence
        sequence.start()
        for _ in range(self.chance.randrange(40)):
            self._turn()
        if self.chance.random() < 0.7:
            sequence.cancel()

    def _enter_all(self) -> None:
        if self.sheet is not None:
            self.sheet.enter.click()

    # What is seen

    def _turn(self) -> None:
        self.session.poll()
        QApplication.processEvents()

    def settle(self) -> None:
        """Until nothing is under way that ends by itself; a walk that waits for a hand is ended."""
        session = self.session
        for turn in range(PATIENCE):
            self._turn()
            if session.calibration_sequence.awaited_move is not None:
                session.calibration_sequence.cancel()
            is_working = any(lease.kind.nature == "work" for lease in session.jobs.leases)
            if turn > 2 and not is_working and not session.background.is_busy:
                break
        else:
            self.wrong.append(f"still under way after {self.done[-1:]}: {[le.kind.name for le in session.jobs.leases]}")
            session.jobs.cancel_all()
        for _ in range(4):
            self._turn()

    def entered_now(self) -> dict[str, float]:
        entered: dict[str, float] = {}
        for part in self.session.desk.station.parts:
            if isinstance(part, Receiver):
                entered[f"{part.name} as {part.device_name}"] = part.entered_ppm
                entered |= {f"{part.name} as {other.device}": other.entered_ppm for other in part.other_devices}
            elif isinstance(part, Converter):
                entered[part.name] = part.entered_lo_hz
        return entered

    def deadline(self) -> float:
        return self.session.calibration.oscillator_estimates.serves_until_s()

    def in_true(self) -> dict[str, Oscillator]:
        """The oscillators as True's right-hand column writes them: value, uncertainty, mark."""
        return rows_of(self.window.true._evidence._off, first_row=0, step=2)

    def in_sheet(self) -> dict[str, Oscillator]:
        return {} if self.sheet is None else rows_of(self.sheet._table, first_row=2, step=3)

    def _check(self, is_right: bool, sentence: str) -> None:
        if not is_right:
            self.wrong.append(f"{sentence} (after {', '.join(self.done[-4:])})")

    def _compare(self, name: str) -> None:
        session, window = self.session, self.window
        sequence = session.calibration_sequence
        self.window.true  # noqa: B018 - made with its first use
        shown, listed = self.in_true(), self.in_sheet()
        self.seen["rows in both"] += len(shown.keys() & listed.keys())
        for title, state in listed.items():
            self._check(shown.get(title) == state, f"{title}: {shown.get(title)} in True, {state} in the list")
        rows = {row.title: row for row in sequence.rows(every=True)}
        for title, (value, known_to, mark) in shown.items():
            row = rows[title]
            wanted = (row.value.removesuffix(" Hz").removesuffix(" ppm"), row.known_to, NAMES[row.mark])
            self._check((value, known_to, mark) == wanted, f"{title}: {value} {known_to} {mark} shown, {wanted} known")
        may_apply = window.true.apply.isEnabled()
        self._check(
            may_apply == bool(sequence.will_change()), f"Apply {may_apply}, to change: {sequence.will_change()}"
        )
        is_pending = any(row.entered == "not yet" for row in rows.values())
        self._check(not is_pending or may_apply, "an oscillator is not entered, and Apply is grey")
        calibration, mode = session.calibration, mode_named(session.desk.station.mode)
        wanted_line = place_verdict(calibration, mode).short
        line = window.places.buttons[PLACE_NAMES.index("True")].accessibleName()
        self._check(line.endswith(wanted_line), f"the list says '{line}', the dial '{wanted_line}'")
        headline = window.true.headline.text()
        self._check(headline == true_verdict(calibration, mode).sentence, f"True's headline is old: {headline}")
        self._check("Measuring" not in headline, f"endless mark: {headline}")

    def _compare_entered(self, name: str, before: dict[str, float]) -> None:
        now = self.entered_now()
        if name in ("apply", "undo", "redo", "enter all"):
            return
        for part, value in before.items():
            self._check(now.get(part, 0.0) == value, f"{part}: {value} was entered, {now.get(part)} is, by '{name}'")

    def close(self) -> None:
        for dialog in QApplication.topLevelWidgets():
            if isinstance(dialog, QDialog):
                dialog.close()
        self.session.jobs.cancel_all()
        self.settle()
        self._check(not any(le.kind.nature == "work" for le in self.session.jobs.leases), "work is left at the end")
        self.window.close()


def rows_of(grid: QGridLayout, first_row: int, step: int) -> dict[str, Oscillator]:
    """Name, value, uncertainty and mark of the rows of a grid."""
    rows: dict[str, Oscillator] = {}
    for at in range(first_row, grid.rowCount(), step):
        items = [grid.itemAtPosition(at, column) for column in range(4)]
        cells = [None if item is None else item.widget() for item in items]
        mark, *words = cells
        if isinstance(mark, MarkSign) and all(isinstance(cell, QLabel) for cell in words):
            title, value, known_to = (cell.text() for cell in words)  # type: ignore[union-attr]
            rows[title] = (value.removesuffix(" Hz").removesuffix(" ppm"), known_to, mark.accessibleName())
    return rows
