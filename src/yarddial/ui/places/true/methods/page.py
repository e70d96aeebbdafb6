"""Common parts of the pages of all methods: description, accuracy, answer, refusal."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from yarddial.session.session import Session
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.words import Words
from yarddial.yard.errors import YardDialError


class MethodPage(QWidget):
    """A heading and description above; then `body`, the answer or refusal, and `evidence`."""

    def __init__(self, session: Session, heading: str, how: str) -> None:
        super().__init__()
        self.session = session
        self.body = QVBoxLayout()
        self.body.setSpacing(px(8))
        self.evidence = QVBoxLayout()
        self.answer = Words("", 16, "serif", wrap=True)
        self.answer.setAccessibleName("Answer")
        self.said = Words("", 12, tone="vermilion", wrap=True)
        self.said.setAccessibleName("Refusal")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(px(18), 0, 0, 0)
        layout.setSpacing(px(10))
        layout.addWidget(Words(heading, 16, "serif"))
        layout.addWidget(Words(how, 13, tone="quiet", wrap=True))
        layout.addLayout(self.body)
        layout.addWidget(self.answer)
        layout.addWidget(self.said)
        layout.addLayout(self.evidence)
        layout.addStretch()

    def attempt(self, act: Callable[[], object]) -> bool:
        """Call a function, or show its refusal; True when it succeeded."""
        try:
            act()
        except YardDialError as error:
            self.refuse(str(error))
            return False
        self.said.setText("")
        return True

    def tell(self, sentence: str) -> None:
        """Show the answer, replacing a refusal."""
        self.said.setText("")
        self.answer.setText(_sentence(sentence))

    def refuse(self, sentence: str) -> None:
        """Show a refusal, replacing an answer."""
        self.answer.setText("")
        self.said.setText(_sentence(sentence))

    def fields(self, rows: list[tuple[str, QWidget, QPushButton | None]]) -> None:
        """Add rows of a label, a field and perhaps a button."""
        grid = QGridLayout()
        grid.setHorizontalSpacing(px(12))
        grid.setVerticalSpacing(px(6))
        grid.setColumnStretch(1, 1)
        for row, (label, widget, act) in enumerate(rows):
            grid.addWidget(Words(label, 13), row, 0)
            grid.addWidget(widget, row, 1)
            if act is not None:
                grid.addWidget(act, row, 2)
        self.body.addLayout(grid)

    def buttons(self, *widgets: QWidget) -> None:
        """Add a row of buttons."""
        row = QHBoxLayout()
        row.setSpacing(px(10))
        for widget in widgets:
            row.addWidget(widget, 0, Qt.AlignmentFlag.AlignLeft)
        row.addStretch()
        self.body.addLayout(row)

    def leave(self) -> None:
        """End whatever runs for this page, because it is left."""

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Leave the page when hidden."""
        super().hideEvent(event)
        self.leave()


def entry(name: str, text: str = "", hint: str = "") -> QLineEdit:
    """Create a named field."""
    field = QLineEdit(text)
    field.setFont(font(13, "mono"))
    field.setAccessibleName(name)
    field.setPlaceholderText(hint)
    return field


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:].rstrip('.')}." if text else ""
