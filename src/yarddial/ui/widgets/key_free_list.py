"""A list that leaves plain letters to the window, whose keys they are."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QListWidget


class KeyFreeList(QListWidget):
    """Arrows, Home and End move in it; a letter is no search, but a key of the window."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Pass letters on."""
        if event is None:
            return
        moves = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_PageUp,
                 Qt.Key.Key_PageDown, Qt.Key.Key_Return, Qt.Key.Key_Enter)  # fmt: skip
        if event.key() in moves or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
        else:
            event.ignore()
