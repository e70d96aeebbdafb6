"""A value that is edited in place: text until focused, with a refusal in one sentence."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import repolish
from yarddial.yard.errors import YardDialError


class ValueField(QLineEdit):
    """Enter or leaving the field submits; Escape restores the old text.

    `submit` takes the text and raises a YardDialError to refuse it.
    """

    refused = pyqtSignal(str)

    def __init__(self, name: str, submit: Callable[[str], None], width: int = 150) -> None:
        super().__init__()
        self._submit = submit
        self._shown = ""
        self.setAccessibleName(name)
        self.setFont(font(13, "mono"))
        self.setMinimumWidth(px(width))
        self.setAlignment(Qt.AlignmentFlag.AlignRight)

    def show_value(self, text: str) -> None:
        """Show the present value; a text being edited is left alone."""
        if self.isModified() and self.hasFocus():
            return
        self._shown = text
        self.setText(text)
        self.setModified(False)
        self._set_wrong("")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter submits, Escape restores."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.read_entry()
            self.selectAll()
            return
        if event is not None and event.key() == Qt.Key.Key_Escape and self.isModified():
            self._restore()
            return
        super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Submit a changed text on leaving."""
        super().focusOutEvent(event)
        if self.isModified() and (event is None or event.reason() != Qt.FocusReason.PopupFocusReason):
            self.read_entry()

    def changeEvent(self, event: QEvent | None) -> None:
        """Keep the font after a style change."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.StyleChange:
            wanted = font(13, "mono")
            if self.font() != wanted:
                self.setFont(wanted)

    def read_entry(self) -> None:
        if not self.isModified() or self.text() == self._shown:
            self._restore()
            return
        try:
            self.setModified(False)
            self._submit(self.text())
        except YardDialError as error:
            self.setModified(True)
            self._set_wrong(str(error))
        else:
            self._set_wrong("")

    def _restore(self) -> None:
        self.setText(self._shown)
        self.setModified(False)
        self._set_wrong("")

    def _set_wrong(self, sentence: str) -> None:
        if bool(self.property("wrong")) != bool(sentence):
            self.setProperty("wrong", bool(sentence))
            repolish(self)
        set_tip(self, sentence)
        self.refused.emit(sentence)
