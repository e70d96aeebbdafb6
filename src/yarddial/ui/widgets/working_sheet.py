"""Sheets over the window: the working of a number, the keys, the glossary."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLayout, QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.words import Words, button, hairline
from yarddial.yard.working import Working


class Sheet(QDialog):
    """A heading, a scrolling body, a close button. Not modal: the numbers behind stay visible.

    manual_page : opened by F1.
    """

    manual_page = "start"

    def __init__(self, parent: QWidget, heading: str, width: int = 640) -> None:
        super().__init__(parent)
        self.setWindowTitle(heading)
        self.setAccessibleName(heading)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        QShortcut(QKeySequence("F1"), self).activated.connect(self._explain)
        self._leaving: list[Callable[[], object]] = []
        self.finished.connect(self._left)
        self.body = QVBoxLayout()
        self.body.setSpacing(px(10))
        inside = QWidget()
        inside.setLayout(self.body)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        self.buttons = QHBoxLayout()
        self.buttons.addStretch()
        self.leave_button = close = button("Close")
        close.clicked.connect(self.close)
        # Enter presses a button only with the focus: in a field, Enter belongs to the field.
        close.setAutoDefault(False)
        close.setFocus()
        self._page = layout = QVBoxLayout(self)
        layout.setContentsMargins(px(28), px(22), px(28), px(20))
        layout.setSpacing(px(12))
        layout.addWidget(Words(heading, 20, "serif", wrap=True))
        layout.addWidget(scroll, 1)
        layout.addLayout(self.buttons)
        self.buttons.addWidget(close)
        self.resize(px(width), px(480))

    def when_left(self, *acts: Callable[[], object]) -> None:
        """Called once when the sheet is left, by its button, Escape or the window frame."""
        self._leaving += acts

    def _left(self) -> None:
        acts, self._leaving = self._leaving, []
        for act in acts:
            act()

    def _explain(self) -> None:
        """Show the manual through the nearest owner of this sheet that has it."""
        above = self.parent()
        while above is not None and not hasattr(above, "show_manual"):
            above = above.parent()
        if above is not None:
            above.show_manual(self.manual_page)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """The same for a sheet that was hidden before."""
        self._left()
        super().closeEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape closes; Enter in a field submits only that field."""
        if event is not None and event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)

    def add_foot(self, row: QLayout, below: QWidget) -> None:
        """Put a row and a line of text below the scrolling body, above the buttons."""
        self._page.insertLayout(self._page.count() - 1, row)
        self._page.insertWidget(self._page.count() - 1, below)

    def rows(self, pairs: list[tuple[str, str, str]]) -> None:
        """Add a table of three columns: symbol or key, value, meaning."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(18))
        grid.setVerticalSpacing(px(6))
        grid.setColumnStretch(2, 1)
        for row, (symbol, value, meaning) in enumerate(pairs):
            grid.addWidget(Words(symbol, 13, "mono", 500), 2 * row, 0, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(
                Words(value, 13, "mono"), 2 * row, 1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop
            )
            grid.addWidget(Words(meaning, 13, tone="quiet", wrap=True), 2 * row, 2)
            grid.addWidget(hairline(), 2 * row + 1, 0, 1, 3)
        self.body.addLayout(grid)


def working_sheet(parent: QWidget, working: Working) -> Sheet:
    """Open a sheet with a result's formula, values and source."""
    sheet = Sheet(parent, working.title, 700)
    sheet.body.addWidget(Words(working.result, 15, weight=600, wrap=True))
    for formula in working.formulas:
        sheet.body.addWidget(Words(formula, 13, "mono", wrap=True))
    sheet.rows([(v.symbol, v.value, v.meaning + (f" ({v.source})" if v.source else "")) for v in working.values])
    if working.source:
        sheet.body.addWidget(Words(f"Source: {working.source}.", 12, tone="quiet", wrap=True))
    sheet.body.addStretch()
    copy = button("Copy as text")
    copy.clicked.connect(lambda: _copy(working.as_text()))
    sheet.buttons.insertWidget(1, copy)
    return sheet


def _copy(text: str) -> None:
    from PyQt6.QtWidgets import QApplication

    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
