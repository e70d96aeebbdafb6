"""Handler that collects faults from the standard log; imported after the first paint."""

import logging
from collections.abc import Callable

from yarddial.yard.fault_log import LOGGER


class FaultHandler(logging.Handler):
    """Pass every error to the session's faults and to the log file, which is opened at the first one."""

    def __init__(self, take: Callable[[str, str], None], open_file: Callable[[], logging.Handler] | None) -> None:
        """take : gets what failed, and the traceback."""
        super().__init__(logging.ERROR)
        self._take, self._open_file = take, open_file
        self._file: logging.Handler | None = None
        logging.getLogger(LOGGER).addHandler(self)

    def emit(self, record: logging.LogRecord) -> None:
        """Called in the thread of the failure."""
        details = logging.Formatter().formatException(record.exc_info) if record.exc_info else ""
        self._take(record.getMessage(), details)
        try:
            if self._file is None and self._open_file is not None:
                self._file = self._open_file()
            if self._file is not None:
                self._file.handle(record)
        except OSError:
            # A full disk must not cause a second fault.
            self._open_file = None

    def end(self) -> None:
        """Stop collecting from the log."""
        logging.getLogger(LOGGER).removeHandler(self)
        if self._file is not None:
            self._file.close()
