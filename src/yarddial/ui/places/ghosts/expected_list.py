"""Spurious signals to expect at the dial: the strongest in the column, all of them with their behaviour in a sheet."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from yarddial.analysis.ghosts.scene import Ghost
from yarddial.session.spurious.expected_products import ExpectedProducts
from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.emptied import empty
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.frequency import MINUS, format_frequency, format_number

MAX_NAMED, MAX_LISTED = 4, 120
HEADINGS = ("on the dial", "level", "what it is", "formula", "centre moves by D", "1 dB of attenuation")


class ExpectedList(QWidget):
    """A click on a frequency dials it."""

    dialled = pyqtSignal(float)

    def __init__(self, expected_products: ExpectedProducts) -> None:
        super().__init__()
        self._expected_products = expected_products
        self._shown: tuple[Ghost, ...] | None = None
        self._rows = QGridLayout()
        self._rows.setHorizontalSpacing(px(8))
        self._rows.setVerticalSpacing(px(2))
        self.said = Words("", 12, tone="quiet", wrap=True)
        self.every = button("All of them", plain=True, tip="Every ghost predicted here: formula, and how it moves")
        self.every.clicked.connect(lambda: ExpectedSheet(self, expected_products.ghosts).show())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(2))
        layout.addWidget(self.said)
        layout.addLayout(self._rows)
        below = QHBoxLayout()
        below.addWidget(self.every)
        below.addStretch()
        layout.addLayout(below)

    def show_expected(self) -> None:
        """Show the strongest expected ghosts."""
        ghosts = self._expected_products.ghosts
        count = len(ghosts)
        count_words = f"{count} over the floor" if count else "None"
        lost = "".join(f"\n{desense.sentence()}." for desense in self._expected_products.desensed[:2])
        self.said.setText(f"{count_words} by the signals known, besides the spike at the centre.{lost}")
        self.every.setVisible(bool(ghosts))
        if ghosts == self._shown:
            return
        self._shown = ghosts
        empty(self._rows)
        for row, ghost in enumerate(ghosts[:MAX_NAMED]):
            go = button(format_frequency(ghost.dial_hz, 0), plain=True, tip=_told(ghost))
            go.clicked.connect(lambda _=False, hz=ghost.dial_hz: self.dialled.emit(hz))
            level = Words(f"{format_number(ghost.level_dbm, 1.0)} dBm", 12, tone="quiet")
            for column, cell in enumerate((go, Words(ghost.kind, 12), level)):
                self._rows.addWidget(cell, row, column)
        self._rows.setColumnStretch(1, 1)


class ExpectedSheet(Sheet):
    """One row for each expected signal."""

    manual_page = "ghosts"

    def __init__(self, parent: QWidget, ghosts: tuple[Ghost, ...]) -> None:
        super().__init__(parent, "Ghosts to expect here", 920)
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(16))
        grid.setVerticalSpacing(px(4))
        for column, heading in enumerate(HEADINGS):
            grid.addWidget(Words(heading, 12, tone="quiet"), 0, column)
        for row, ghost in enumerate(ghosts[:MAX_LISTED], 1):
            of = f"{ghost.kind} of {', '.join(ghost.sources)}" if ghost.sources else ghost.kind
            cells = (
                Words(format_frequency(ghost.dial_hz, 0), 12, "mono"),
                Words(f"{format_number(ghost.level_dbm, 1.0)} dBm", 12, "mono"),
                Words(of, 12, wrap=True), Words(ghost.formula, 12, "mono"),
                Words(moves_words(ghost.moves), 12), Words(falls_words(ghost.falls), 12),
            )  # fmt: skip
            for column, cell in enumerate(cells):
                grid.addWidget(cell, 2 * row, column)
            grid.addWidget(hairline(), 2 * row + 1, 0, 1, len(cells))
        grid.setColumnStretch(2, 1)
        self.body.addLayout(grid)
        if len(ghosts) > MAX_LISTED:
            self.body.addWidget(Words(f"And {len(ghosts) - MAX_LISTED} weaker ones.", 12, tone="quiet"))
        self.body.addStretch()
        self.resize(self.width(), px(560))


def moves_words(moves: float) -> str:
    """Motion in multiples of the centre's."""
    if not moves:
        return "stays"
    return "moves by D" if moves == 1 else f"moves by {moves:g} D".replace("-", MINUS)


def falls_words(falls: float) -> str:
    """Reaction to attenuation at the antenna."""
    return "stays" if not falls else f"{MINUS}{falls:g} dB"


def _told(ghost: Ghost) -> str:
    of = f" of {', '.join(ghost.sources)}" if ghost.sources else ""
    moves = moves_words(ghost.moves)
    return f"{ghost.kind}{of}: {ghost.formula}. When the centre moves by D it {moves}; {falls_words(ghost.falls)} a dB."
