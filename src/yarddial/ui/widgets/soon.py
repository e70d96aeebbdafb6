"""Doing a thing once, soon, however often it is asked for."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


class Soon(QTimer):
    """Call it as often as you like: `act` runs once, when the event loop has nothing better to do."""

    def __init__(self, parent: QObject, act: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setSingleShot(True)
        self.timeout.connect(act)

    def __call__(self) -> None:
        """Request a call soon; several requests give one call."""
        if not self.isActive():
            self.start(0)
