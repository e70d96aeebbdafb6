"""Sheet that asks for one line of text."""

from collections.abc import Callable

from PyQt6.QtWidgets import QLineEdit, QWidget

from yarddial.ui.theme.lettering import font
from yarddial.ui.widgets.words import Words, button
from yarddial.ui.widgets.working_sheet import Sheet
from yarddial.yard.errors import YardDialError


class LineSheet(Sheet):
    """Enter submits; a refusal is shown under the line and the sheet stays."""

    def __init__(self, parent: QWidget, heading: str, text: str, submit: Callable[[str], object]) -> None:
        super().__init__(parent, heading, 520)
        self._submit = submit
        self.line = QLineEdit(text)
        self.line.setFont(font(14))
        self.line.setAccessibleName(heading)
        self.line.selectAll()
        self.line.returnPressed.connect(self.keep)
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.body.addWidget(self.line)
        self.body.addWidget(self.said)
        self.body.addStretch()
        keep = button("Keep", strong=True)
        keep.clicked.connect(self.keep)
        self.buttons.insertWidget(1, keep)
        self.resize(self.width(), 210)
        self.line.setFocus()

    def keep(self) -> None:
        """Submit the line."""
        try:
            self._submit(self.line.text())
        except YardDialError as error:
            self.said.setText(str(error)[:1].upper() + str(error)[1:] + ".")
        else:
            self.close()
