"""Known stations, their accuracy, and the person's own."""

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QGridLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.places.true.methods.page import MethodPage, entry
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.tip import set_tip, tip_of
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import format_frequency, format_sigma, parse_frequency
from yarddial.yard.references import KINDS, ReferenceKind, kind_named
from yarddial.yard.station import Reference, usual_references

INTRODUCTION_TEXT = (
    "How far each can be trusted as received, one sigma. What is off on purpose trues nothing and is refused."
)


class KnownStations(MethodPage):
    """A table of stations, and a row to add one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Known stations", INTRODUCTION_TEXT)
        self._table = QWidget()
        self._grid = QGridLayout(self._table)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(px(12))
        self._grid.setVerticalSpacing(px(3))
        self.body.addWidget(self._table)
        self.body.addWidget(Words("One of your own", 14, "serif"))
        self.name = entry("Name of the station", "", "as you call it")
        self.place = entry("Its frequency and uncertainty", "", "5 MHz; with its uncertainty, 144.43 MHz ± 30 Hz")
        self.kind = ChoiceBox("Its kind")
        for kind in KINDS:
            self.kind.addItem(kind.name)
        self.kind.currentTextChanged.connect(lambda _: self._show_trap())
        add = button("Add it", strong=True)
        add.clicked.connect(self.add)
        self.place.returnPressed.connect(self.add)
        self.fields([("Name", self.name, None), ("Sends at", self.place, add), ("Kind", self.kind, None)])
        usual = button("Standard frequencies", tip="Those kept all over the world; look which of them you hear")
        usual.clicked.connect(self.add_usual)
        read = button("Read a file", tip="CSV: name, frequency_hz, kind, and perhaps sigma_hz and note")
        read.clicked.connect(self._read)
        self.buttons(usual, read)
        self._trap = Words("", 12, tone="quiet", wrap=True)
        self.body.addWidget(self._trap)
        self._show_trap()
        self._show()

    def add(self) -> None:
        """Add the station, with the uncertainty of its kind where none is given."""

        def keep() -> None:
            hertz, sign, uncertainty = self.place.text().partition("±")
            frequency_hz, kind = parse_frequency(hertz), self._kind()
            if kind.asks and not sign:
                raise BadFrequency(
                    f"{kind.name}: how well it is kept is its keeper's to say; write it as 144.43 MHz ± 30 Hz, or "
                    "leave it out"
                )
            sigma_hz = parse_frequency(uncertainty) if sign else kind.sigma_hz(frequency_hz)
            if not kind.low_hz <= frequency_hz <= kind.high_hz:
                raise BadFrequency(
                    f"{kind.name} is not found at {format_frequency(frequency_hz)}: choose another kind, or look at "
                    "the unit"
                )
            reference = Reference(self.name.text().strip(), frequency_hz, sigma_hz, kind.name, kind.mode)
            self.session.other_methods.keep_reference(reference)

        if self.attempt(keep):
            self.tell(f"{self.name.text().strip()} is a known station now; Ctrl+Z takes it back")
            self._show()

    def add_usual(self) -> None:
        """Add the world's standard frequencies in one edit."""
        if self.attempt(lambda: self._say_new(self.session.other_methods.keep_references(usual_references()))):
            self._show()

    def _read(self) -> None:
        from yarddial.ui.widgets.file_sheet import FileSheet

        FileSheet(self, "Read known stations from", "stations.csv", "Read them", self.read_file, reads=True).show()

    def read_file(self, path: Path) -> None:
        """Import a file's stations; raises BadStation."""
        self._say_new(self.session.other_methods.import_references(path))
        self._show()

    def _say_new(self, count: int) -> None:
        new = f"{count} known stations came in; Ctrl+Z takes them back"
        self.tell(new if count else "all of them were there already")

    def _kind(self) -> ReferenceKind:
        return kind_named(self.kind.currentText()) or KINDS[0]

    def _show_trap(self) -> None:
        kind = self._kind()
        self._trap.setText(f"{kind.at_transmitter[:1].upper()}{kind.at_transmitter[1:]}; {kind.trap}.")

    def _drop(self, reference: Reference) -> None:
        if self.attempt(lambda: self.session.other_methods.drop_reference(reference)):
            self.tell(f"{reference.name} was taken out; Ctrl+Z brings it back")
            self._show()

    def _show(self) -> None:
        empty(self._grid)
        references = sorted(self.session.desk.station.references, key=lambda r: r.frequency_hz)
        for row, reference in enumerate(references):
            kind = kind_named(reference.kind)
            mark = MarkSign("unknown" if kind is None else "stop" if kind.trust == "never" else kind.trust, 10)
            set_tip(mark, kind.trap if kind is not None else reference.note)
            name = Words(reference.name, 13)
            set_tip(name, tip_of(mark))
            drop = button("Take out", plain=True, tip=f"Take {reference.name} out of the station")
            drop.clicked.connect(partial(self._drop, reference))
            cells: list[QWidget] = [
                mark, name, Words(format_frequency(reference.frequency_hz), 12, "mono"),
                Words(format_sigma(reference.sigma_hz), 12, "mono", tone="quiet"),
                Words(reference.kind, 12, tone="quiet"), drop,
            ]  # fmt: skip
            for column, cell in enumerate(cells):
                self._grid.addWidget(cell, 2 * row, column)
            self._grid.addWidget(hairline(), 2 * row + 1, 0, 1, len(cells))
        self._grid.setColumnStretch(1, 1)
