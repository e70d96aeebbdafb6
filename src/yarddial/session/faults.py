"""Program faults: logged with their traceback, reported once in plain words."""

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.session.listeners import Listener, Listeners
from yarddial.yard import clock

if TYPE_CHECKING:
    # Imported after the first paint.
    import logging

    from yarddial.session.fault_handler import FaultHandler

# Faults whose details are kept for copying.
MAX_KEPT = 20


class Fault(msgspec.Struct, frozen=True):
    """A fault: time, what failed in a sentence, and its traceback."""

    at_utc: str
    sentence: str
    details: str


class Faults:
    """Errors logged in any layer and thread; the session reports them at its next poll."""

    def __init__(self, open_file: "Callable[[], logging.Handler] | None" = None) -> None:
        """open_file : creates the handler of the log file when there is something to write."""
        self.open_file = open_file
        self._handler: FaultHandler | None = None
        self._changed = Listeners()
        self._guard = threading.Lock()
        self.is_new = False
        self.count = 0
        self.kept: tuple[Fault, ...] = ()

    def on_fault(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for faults, called on the session's thread."""
        return self._changed.add(listener)

    def begin(self) -> None:
        """Start collecting from the program's log."""
        if self._handler is None:
            from yarddial.session.fault_handler import FaultHandler

            self._handler = FaultHandler(self.take, self.open_file)

    def end(self) -> None:
        """Stop collecting faults."""
        if self._handler is not None:
            self._handler.end()

    @property
    def details(self) -> str:
        """All stored details, for a report."""
        return "\n\n".join(f"{fault.at_utc} {fault.sentence}\n{fault.details}" for fault in self.kept)

    def take(self, sentence: str, details: str) -> None:
        """Add a fault, from any thread."""
        with self._guard:
            self.kept = (*self.kept[1 - MAX_KEPT :], Fault(clock.utc_text(), sentence, details))
            self.count += 1
            self.is_new = True

    def poll(self) -> None:
        """Report new faults."""
        if self.is_new:
            self.is_new = False
            self._changed.tell()
