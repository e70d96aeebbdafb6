"""The settings card as a sheet: numbers to copy, ten-second tests, and export to a file."""

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QLineEdit, QWidget

from yarddial.records.card_text import card_html, card_markdown, card_rows, needed_rows
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.pdf import write_page
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.ui.widgets.working_sheet import Sheet, working_sheet
from yarddial.yard.card import Card, groupings
from yarddial.yard.errors import YardDialError
from yarddial.yard.frequency import format_frequency

# Size of the numbers.
NUMBER_PX = 14


class CardSheet(Sheet):
    """The card of one route at one frequency."""

    manual_page = "bench"

    saved = pyqtSignal(str, float, str)

    def __init__(self, parent: QWidget, card: Card, folder: Path, not_entered: str = "") -> None:
        """not_entered : a known correction without which the card is wrong; empty where all is entered."""
        super().__init__(parent, f"What to set for {format_frequency(card.dial_hz)} over {card.route}", 780)
        self._card = card
        self.caution = Words(
            f"True knows a correction that is not entered: {not_entered}. Apply it first (Ctrl+Return); without it "
            "these numbers leave the dial wrong." if not_entered else "",
            13, tone="ochre", wrap=True,
        )  # fmt: skip
        self.caution.setAccessibleName("Caution")
        self.caution.setVisible(bool(not_entered))
        self.body.addWidget(self.caution)
        rows = card_rows(card)
        needed = [row for row in rows if row[0] in needed_rows(card)]
        many = "this number" if len(needed) == 1 else "these two"
        self.body.addWidget(Words(f"Most programs need {many}", 15, "serif"))
        self._add_rows(needed)
        tests = card.tests()
        for what, reading in tests[: len(needed)]:
            self.body.addWidget(Words(f"Ten-second test. {what}", 13, weight=600, wrap=True))
            self.body.addWidget(Words(reading, 13, wrap=True))
        self.body.addWidget(Words("The same for other programs, and all that is to be set", 15, "serif"))
        self._add_rows([row for row in rows if row not in needed])
        if card.offset_added_to_dial_hz:
            formats = ",  ".join(groupings(card.offset_added_to_dial_hz))
            self.body.addWidget(Words(f"The offset in every grouping: {formats}", 12, tone="quiet", wrap=True))
        for what, reading in tests[len(needed) :]:
            self.body.addWidget(Words(what, 13, weight=600, wrap=True))
            self.body.addWidget(Words(reading, 13, wrap=True))
        self.body.addStretch()
        self.said = Words("", 12, tone="quiet", wrap=True)
        self.target = QLineEdit(str(folder / f"{_slug(card)}.pdf"))
        self.target.setAccessibleName("File for the card: .pdf, .html or .md")
        self.target.setFont(font(12, "mono"))
        self.target.returnPressed.connect(self.save)
        self.save_button = button("Save", strong=True, tip="Write the card as PDF, HTML or Markdown, by the ending")
        self.save_button.clicked.connect(self.save)
        row = QHBoxLayout()
        row.addWidget(self.target, 1)
        row.addWidget(self.save_button)
        self.add_foot(row, self.said)
        working = button("Show the working")
        working.clicked.connect(lambda: working_sheet(self, card.working()).show())
        self.buttons.insertWidget(1, working)
        self.resize(px(780), px(620))

    def _add_rows(self, rows: Sequence[tuple[str, str, str]]) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(16))
        grid.setVerticalSpacing(px(4))
        # The sections share their columns.
        every = card_rows(self._card)
        names, numbers = QFontMetrics(font(13)), QFontMetrics(font(NUMBER_PX, "mono", 500))
        grid.setColumnMinimumWidth(0, max(names.horizontalAdvance(name) for name, _, _ in every) + px(4))
        grid.setColumnMinimumWidth(1, max(numbers.horizontalAdvance(value) for _, value, _ in every) + px(4))
        grid.setColumnStretch(2, 1)
        for row, (name, value, meaning) in enumerate(rows):
            number = Words(value, NUMBER_PX, "mono", 500)
            number.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            copy = button("copy", plain=True)
            copy.setAccessibleName(f"Copy: {name}")
            copy.clicked.connect(partial(self._copy, value))
            grid.addWidget(Words(name, 13), 2 * row, 0)
            grid.addWidget(number, 2 * row, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(Words(meaning, 12, tone="quiet", wrap=True), 2 * row, 2)
            grid.addWidget(copy, 2 * row, 3)
            grid.addWidget(hairline(), 2 * row + 1, 0, 1, 4)
        self.body.addLayout(grid)

    def _copy(self, value: str, _checked: bool = False) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            # Plain ASCII for other programs: minus sign, no thin spaces, no plus.
            clipboard.setText(value.replace("−", "-").replace("\u202f", "").lstrip("+"))

    def save(self) -> None:
        """Write the file in the format of its ending."""
        path = Path(self.target.text().strip()).expanduser()
        try:
            write_page(path, lambda: card_html(self._card), lambda: card_markdown(self._card))
        except YardDialError as error:
            self.said.set_tone("vermilion")
            self.said.setText(str(error)[:1].upper() + str(error)[1:] + ".")
        else:
            self.said.set_tone("spruce")
            self.said.setText(f"Saved as {path}.")
            self.saved.emit(self._card.route, self._card.dial_hz, str(path))


def _slug(card: Card) -> str:
    words = f"{card.station} {card.dial_hz / 1e6:g} MHz".lower()
    return "-".join("".join(c if c.isalnum() or c == "." else " " for c in words).split())
