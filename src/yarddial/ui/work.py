"""Work off the interface thread: a call in a thread of its own, its answer or refusal back in this one."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from yarddial.yard.errors import YardDialError


class Work(QThread):
    """Runs a call; `done` brings its result, `refused` a YardDialError's sentence."""

    done = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, parent: QObject, call: Callable[[], Any]) -> None:
        super().__init__(parent)
        self._call = call
        self.finished.connect(self.deleteLater)

    def run(self) -> None:
        """In the other thread."""
        try:
            result = self._call()
        except YardDialError as error:
            self.refused.emit(str(error))
        else:
            self.done.emit(result)
