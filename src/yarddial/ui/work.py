"""Work off the interface thread: a call in a thread, its answer or refusal back in the interface."""

import atexit
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from yarddial.yard.errors import YardDialError
from yarddial.yard.fault_log import log_fault

# A thread may outlive the widget that started it.
_running: "set[Work]" = set()


class Work(QThread):
    """Runs a call; `done` brings its result, `refused` a YardDialError's sentence, while the requester exists."""

    done = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, asker: QObject, call: Callable[[], Any]) -> None:
        super().__init__()
        self._call = call
        self.finished.connect(self._ended)
        asker.destroyed.connect(self._forget)

    def start(self, priority: QThread.Priority = QThread.Priority.InheritPriority) -> None:
        """Start; it is kept alive until it has ended."""
        _running.add(self)
        super().start(priority)

    def run(self) -> None:
        """Run in the worker thread."""
        try:
            result = self._call()
        except YardDialError as error:
            self.refused.emit(str(error))
        except Exception as fault:
            # Top of the thread: the caller must hear of every failure.
            log_fault("working something out failed", fault)
            self.refused.emit(f"a fault of the program ({type(fault).__name__}): try it again, or report it")
        else:
            self.done.emit(result)

    def _forget(self) -> None:
        """Nobody waits for the answer any more."""
        for signal in (self.done, self.refused):
            with suppress(TypeError):
                signal.disconnect()

    def _ended(self) -> None:
        _running.discard(self)
        self.deleteLater()


def _settle() -> None:
    for work in tuple(_running):
        work.wait()


atexit.register(_settle)
