"""Faults of the program itself: logged with their traceback, and told once in plain words."""

import logging
import threading
from collections.abc import Callable

import msgspec

from yarddial.session.listeners import Listener, Listeners
from yarddial.yard import clock

LOGGER = logging.getLogger("yarddial")
# Of the details, so many faults are kept for whoever copies them.
MOST_KEPT = 20


class Fault(msgspec.Struct, frozen=True):
    """One fault: when, what failed in a sentence, and its traceback."""

    at_utc: str
    sentence: str
    details: str


class Faults(logging.Handler):
    """Takes what any floor logs as an error, in any thread; the session tells of it at its next poll."""

    def __init__(self, open_file: Callable[[], logging.Handler] | None = None) -> None:
        """`open_file` : makes the handler of the log file when there is something to write."""
        super().__init__(logging.ERROR)
        self._open_file = open_file
        self._file: logging.Handler | None = None
        self._changed = Listeners()
        self._guard = threading.Lock()
        self.is_new = False
        self.count = 0
        self.kept: tuple[Fault, ...] = ()

    def on_fault(self, listener: Listener) -> Callable[[], None]:
        """Something failed; told on the session's thread."""
        return self._changed.add(listener)

    def begin(self) -> None:
        """Listen to the program's log."""
        LOGGER.addHandler(self)

    def end(self) -> None:
        """Leave it."""
        LOGGER.removeHandler(self)
        if self._file is not None:
            self._file.close()

    @property
    def details(self) -> str:
        """All that is kept, for a report."""
        return "\n\n".join(f"{fault.at_utc} {fault.sentence}\n{fault.details}" for fault in self.kept)

    def emit(self, record: logging.LogRecord) -> None:
        """Keep it, and write it into the file."""
        sentence = record.getMessage()
        details = logging.Formatter().formatException(record.exc_info) if record.exc_info else ""
        with self._guard:
            self.kept = (*self.kept[1 - MOST_KEPT :], Fault(clock.utc_text(), sentence, details))
            self.count += 1
            self.is_new = True
        self._write(record)

    def poll(self) -> None:
        """Tell of what is new."""
        if self.is_new:
            self.is_new = False
            self._changed.tell()

    def _write(self, record: logging.LogRecord) -> None:
        try:
            if self._file is None and self._open_file is not None:
                self._file = self._open_file()
            if self._file is not None:
                self._file.handle(record)
        except OSError:
            # A full disk must not make a second fault of the first.
            self._open_file = None
