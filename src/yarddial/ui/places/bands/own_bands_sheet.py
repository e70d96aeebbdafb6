"""The person's own bands: typed, read from a file, removed."""

from functools import partial

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from yarddial.session.bands.band_board import BandBoard
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.choice import ChoiceBox
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.file_sheet import FileSheet
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.bands import Band
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import format_frequency, parse_frequency
from yarddial.yard.modes import ALL_MODES, mode_named


class OwnBandsSheet(Sheet):
    """List of own bands, and fields to add one."""

    manual_page = "bands"

    def __init__(self, parent: QWidget, board: BandBoard) -> None:
        super().__init__(parent, "Bands of your own", 680)
        self._board = board
        table = QWidget()
        self._grid = QGridLayout(table)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(px(12))
        self.name = self._field("Name", "harbour")
        self.low = self._field("From", "156.3 MHz")
        self.high = self._field("To", "157.5 MHz")
        self.mode = ChoiceBox("Mode mostly used there")
        for mode in ALL_MODES:
            self.mode.addItem(mode.name, mode.key)
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.setAccessibleName("Refusal")
        fields = QGridLayout()
        fields.setHorizontalSpacing(px(12))
        for column, field in enumerate((self.name, self.low, self.high, self.mode)):
            fields.addWidget(Words(field.accessibleName(), 12, tone="quiet"), 0, column)
            fields.addWidget(field, 1, column)
        buttons = QHBoxLayout()
        add = button("Add it", strong=True)
        add.clicked.connect(self.add)
        read = button("Read a file", tip="CSV or JSON: name, low_hz, high_hz, kind, mode")
        read.clicked.connect(self._read)
        buttons.addWidget(add)
        buttons.addWidget(read)
        buttons.addStretch()
        self.body.addWidget(table)
        self.body.addLayout(fields)
        self.body.addWidget(self.said)
        self.body.addLayout(buttons)
        self.body.addStretch()
        self.resize(self.width(), px(420))
        self._show()

    def add(self) -> None:
        """Store the typed band, replacing one of the same name."""
        try:
            low_hz, high_hz = parse_frequency(self.low.text()), parse_frequency(self.high.text())
            self._board.keep_band(Band(self.name.text().strip(), low_hz, high_hz, "own", self.mode.currentData()))
        except YardDialError as error:
            self.said.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return
        for field in (self.name, self.low, self.high):
            field.clear()
        self.said.setText("")
        self.name.setFocus()
        self._show()

    def _field(self, name: str, example: str) -> QLineEdit:
        field = QLineEdit()
        field.setFont(font(13, "mono" if name != "Name" else "sans"))
        field.setAccessibleName(name)
        field.setPlaceholderText(example)
        field.returnPressed.connect(self.add)
        return field

    def _read(self) -> None:
        sheet = FileSheet(
            self,
            "Read own bands: name, low_hz, high_hz, kind, mode",
            "bands.csv",
            "Read",
            self._board.read_bands,
            reads=True,
        )
        sheet.destroyed.connect(self._show)
        sheet.show()

    def _drop(self, band: Band) -> None:
        self._board.drop_band(band)
        self._show()

    def _show(self) -> None:
        empty(self._grid)
        own = sorted(self._board.own, key=lambda band: band.low_hz)
        for row, band in enumerate(own):
            drop = button("Take out", plain=True, tip=f"Take {band.name} off the board; Ctrl+Z brings it back")
            drop.clicked.connect(partial(self._drop, band))
            ends = f"{format_frequency(band.low_hz, 0)} to {format_frequency(band.high_hz, 0)}"
            cells = [
                Words(band.name, 13), Words(ends, 12, "mono"),
                Words(mode_named(band.mode_key).name, 12, tone="quiet"), drop,
            ]  # fmt: skip
            for column, cell in enumerate(cells):
                self._grid.addWidget(cell, 2 * row, column)
            self._grid.addWidget(hairline(), 2 * row + 1, 0, 1, len(cells))
        if not own:
            self._grid.addWidget(Words("None yet: add what you listen to besides.", 13, tone="quiet"), 0, 0)
        self._grid.setColumnStretch(0, 1)
