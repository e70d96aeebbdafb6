"""Search for a converter's real oscillator, by a known station or by the oscillator's leakage."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QWidget

from yarddial.analysis.correction.lo_leak import LeakAnswer
from yarddial.analysis.correction.which_lo import Candidate, LoAnswer, which_lo
from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet, working_sheet
from yarddial.ui.work import Work
from yarddial.yard.errors import BadFrequency, YardDialError
from yarddial.yard.frequency import format_frequency, format_hertz, parse_frequency
from yarddial.yard.frequency_conversion import shown_for_dial
from yarddial.yard.oscillators import crystal_of


class WhichLoSheet(Sheet):
    """Takes candidates and evidence, shows the odds, and enters the result on request."""

    manual_page = "bench"

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent, "Which oscillator is it?", 780)
        self._session = session
        self._line = session.desk.route
        self.answer: LoAnswer | LeakAnswer | None = None
        self.verdict = Words("", 16, "serif", wrap=True)
        self.verdict.setAccessibleName("Answer")
        self._odds = QGridLayout()
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.setAccessibleName("Refusal")
        self.converter = ChoiceBox("Converter")
        for converter in self._line.converters:
            if not converter.follows_dial:
                self.converter.addItem(converter.name)
        nominal = next((c for c in self._line.converters if c.name == self.converter.currentText()), None)
        nominal_hz = nominal.nominal_lo_hz if nominal is not None else 100e6
        self.stated = self._entry("Stated oscillators", ", ".join(_leaflets(nominal_hz)))
        self._lay_out()
        self.when_left(session.lo_leak_scan.on_scan_changed(self._scan_moved), session.lo_leak_scan.cancel)

    def _lay_out(self) -> None:
        dial_hz = self._session.desk.station.dial_hz
        self.station = self._entry("A known station", format_frequency(dial_hz))
        self.shown = self._entry("Where the receiver itself shows it", "")
        expected = shown_for_dial(dial_hz, self._line.stages)
        self.shown.setPlaceholderText(f"what it shows with offset 0 and 0 ppm: near {format_frequency(expected, 0)}")
        self.recording = self._entry("A recording of the converter's output", "")
        self.recording.setPlaceholderText("a .sigmf-meta or .wav file")
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(12))
        grid.setVerticalSpacing(px(6))
        grid.setColumnStretch(1, 1)
        weigh = button("Weigh", tip="Find the oscillator from the station")
        weigh.clicked.connect(self.weigh)
        self.shown.returnPressed.connect(self.weigh)
        self.antenna_off = QCheckBox("the antenna is taken off the converter: surest, and checked")
        self.antenna_off.setFont(font(13))
        self.scan_button = button("Look now", tip="Tune to each stated value and look for the oscillator's own leak")
        self.scan_button.clicked.connect(self.scan)
        read = button("Read", tip="Look for the leak in the recording")
        read.clicked.connect(self.read)
        self.recording.returnPressed.connect(self.read)
        head = (
            ("Converter", self.converter, None),
            ("What leaflets and box say", self.stated, None),
            ("A station that you know, at", self.station, None),
            ("That station on the receiver's own dial", self.shown, weigh),
            ("From its leak, with the receiver", self.antenna_off, self.scan_button),
            ("or in a recording", self.recording, read),
        )
        for row, (label, widget, act) in enumerate(head):
            grid.addWidget(Words(label, 13), row, 0)
            grid.addWidget(widget, row, 1)
            if act is not None:
                grid.addWidget(act, row, 2)
        self.body.addLayout(grid)
        self.body.addWidget(hairline())
        self.body.addWidget(self.said)
        self.body.addWidget(self.verdict)
        self.body.addLayout(self._odds)
        self.body.addStretch()
        self._working = button("Show the working")
        self._working.clicked.connect(self._show_working)
        self.use_button = button(
            "Enter it", strong=True, tip="Make the value found the converter's measured oscillator"
        )
        self.use_button.clicked.connect(self.use)
        for place, act in enumerate((self._working, self.use_button), 1):
            act.setEnabled(False)
            self.buttons.insertWidget(place, act)
        self.resize(px(780), px(600))

    def weigh(self) -> None:
        """Weigh the oscillators by the measured station."""
        converter = next((c for c in self._line.converters if c.name == self.converter.currentText()), None)
        if converter is None:
            self._refuse("the oscillator of this route follows the dial: there is none to be told apart here")
            return
        try:
            answer = which_lo(
                converter.kind,
                _read(self.station),
                _read(self.shown),
                self._stated_hz(),
                *self._crystal(),
            )
        except YardDialError as error:
            self._refuse(str(error))
        else:
            self._show_answer(answer)

    def scan(self) -> None:
        """Scan with the running receiver; the button cancels meanwhile."""
        scan = self._session.lo_leak_scan
        if scan.running:
            scan.cancel()
            return
        try:
            scan.start(self._stated_hz(), antenna_off=self.antenna_off.isChecked())
        except YardDialError as error:
            self._refuse(str(error))

    def read(self) -> None:
        """Read a recording, in a thread."""
        from yarddial.session.calibration.lo_leak_recording import leak_in_recording

        try:
            stated = self._stated_hz()
        except YardDialError as error:
            self._refuse(str(error))
            return
        path, (ppm, sigma_ppm) = Path(self.recording.text().strip()).expanduser(), self._crystal()
        self.verdict.setText("Reading the recording…")
        work = Work(self, lambda: leak_in_recording(path, stated, ppm, sigma_ppm))
        work.done.connect(self._show_answer)
        work.refused.connect(self._refuse)
        work.start()

    def use(self) -> None:
        """Enter the oscillator."""
        answer = self.answer
        if answer is None or answer.lo_hz is None:
            return
        try:
            self._session.building.use_oscillator(
                self.converter.currentText(), answer.candidates[0].stated_hz, answer.lo_hz, answer.sigma_hz
            )
        except YardDialError as error:
            self._refuse(str(error))
        else:
            self.close()

    def _scan_moved(self) -> None:
        scan = self._session.lo_leak_scan
        self.scan_button.setText("Stop" if scan.running else "Look now")
        if scan.running:
            self.said.setText("")
            self.verdict.setText(f"Looking for the leak: {100 * scan.fraction:.0f} % done.")
        elif scan.trouble:
            self._refuse(scan.trouble)
        elif scan.answer is not None:
            self._show_answer(scan.answer, scan.left_out)

    def _show_answer(self, answer: LoAnswer | LeakAnswer, left_out: Sequence[float] = ()) -> None:
        self.answer = answer
        self.said.setText("")
        sentence = answer.sentence()
        self.verdict.setText(sentence[:1].upper() + sentence[1:] + ".")
        empty(self._odds)
        for row, candidate in enumerate(answer.candidates):
            self._odds.addWidget(Words(_name(candidate), 13, "mono"), row, 0)
            odds = f"{100 * candidate.odds:.3g} %" if candidate.odds >= 1e-3 else "< 0.1 %"
            self._odds.addWidget(Words(odds, 13, "mono", 500), row, 1)
            apart = format_hertz(candidate.apart_hz, answer.sigma_hz) + " apart" if candidate.apart_hz else ""
            self._odds.addWidget(Words(apart, 12, tone="quiet"), row, 2)
        for row, stated_hz in enumerate(left_out, len(answer.candidates)):
            self._odds.addWidget(Words(format_frequency(stated_hz), 13, "mono"), row, 0)
            why = "not judged: a known station may stand there while the antenna is on"
            self._odds.addWidget(Words(why, 12, tone="quiet"), row, 1, 1, 2)
        self._odds.setColumnStretch(2, 1)
        self._working.setEnabled(True)
        self.use_button.setEnabled(answer.decided and answer.lo_hz is not None and answer.candidates[0].stated_hz > 0)

    def _refuse(self, sentence: str) -> None:
        self.verdict.setText("")
        self.said.setText(sentence[:1].upper() + sentence[1:] + ".")

    def _show_working(self) -> None:
        if self.answer is not None:
            working_sheet(self, self.answer.working()).show()

    def _crystal(self) -> tuple[float, float]:
        known, name = self._session.calibration.oscillators, crystal_of(self._line.receiver.name)
        return known.value(name), max(known.sigma(name), 1e-3)

    def _stated_hz(self) -> tuple[float, ...]:
        pieces = [piece.strip() for piece in self.stated.text().replace(";", ",").split(", ") if piece.strip()]
        if not pieces:
            raise BadFrequency("state at least one oscillator: what the leaflet or the box says, such as 120 MHz")
        return tuple(parse_frequency(piece, "MHz") for piece in pieces)

    def _entry(self, name: str, text: str) -> QLineEdit:
        entry = QLineEdit(text)
        entry.setFont(font(13, "mono"))
        entry.setAccessibleName(name)
        return entry


def _read(entry: QLineEdit) -> float:
    if not entry.text().strip():
        raise BadFrequency(f"fill in '{entry.accessibleName().lower()}' first")
    return parse_frequency(entry.text(), "MHz")


def _name(candidate: Candidate) -> str:
    return format_frequency(candidate.stated_hz) if candidate.stated_hz else "none of these"


def _leaflets(nominal_hz: float) -> tuple[str, ...]:
    """Stated value of the data sheet, and for an up-converter the other usual ones of its class."""
    usual = (100e6, 120e6, 125e6) if 90e6 < nominal_hz < 130e6 else ()
    return tuple(format_frequency(hertz) for hertz in sorted({nominal_hz, *usual}))
