"""Deferred call that runs once for many requests."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


class Soon(QTimer):
    """Call it any number of times: `act` runs once, when the event loop is idle."""

    def __init__(self, parent: QObject, act: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setSingleShot(True)
        self.timeout.connect(act)

    def __call__(self) -> None:
        """Request a call soon; several requests give one call."""
        if not self.isActive():
            self.start(0)
