"""Saving in a thread, one edit at a time, so that the interface never waits and no failure goes unnoticed."""

import threading
from collections.abc import Callable
from typing import Protocol

from yarddial.yard.errors import NotWritten
from yarddial.yard.fault_log import log_fault
from yarddial.yard.station import Station


class Saving(Protocol):
    """A way to save a station; all calls come on the session's thread."""

    @property
    def is_done_at_once(self) -> bool:
        """True where `save` returns only when the station is on the disk."""
        ...

    def save(self, station: Station) -> None:
        """Save; raises NotWritten when it, or the save before it, failed."""
        ...

    def settle(self) -> None:
        """Wait for the save in progress; raises NotWritten when it failed."""
        ...

    def is_settled(self) -> bool:
        """True when nothing is being written."""
        ...

    def check(self) -> None:
        """Check whether the file is unchanged, unless it is being written."""
        ...


class DirectSave:
    """Saves at once, on the session's thread: for scripts and tests."""

    is_done_at_once = True

    def __init__(self, save: Callable[[Station], None]) -> None:
        self.save = save

    def settle(self) -> None:
        """Do nothing: no write is in progress."""

    def is_settled(self) -> bool:
        """True: no write is in progress."""
        return True

    def check(self) -> None:
        """Do nothing: no other program writes it."""


class BackgroundSave:
    """Each save waits for the one before it, so that at most the last edit is not on the disk yet.

    Raises
    ------
    NotWritten
        The save before this one failed; this one is in progress all the same.
    """

    def __init__(self, save: Callable[[Station], None], check: Callable[[], None] | None = None) -> None:
        """`check` : verifies that the file is unchanged since it was read; raises NotWritten."""
        self._write, self._check_file = save, check
        self._thread: threading.Thread | None = None
        self._failed: NotWritten | None = None

    is_done_at_once = False

    def save(self, station: Station) -> None:
        """Write the station in the background."""
        self._wait()
        failed, self._failed = self._failed, None
        self._begin(lambda: self._write(station))
        if failed is not None:
            raise failed

    def check(self) -> None:
        """Check the file in the background, unless it is being written."""
        if self._check_file is not None and self.is_settled() and self._failed is None:
            self._wait()
            self._begin(self._check_file)

    def settle(self) -> None:
        """Wait for the save in progress; raises NotWritten when it failed."""
        self._wait()
        failed, self._failed = self._failed, None
        if failed is not None:
            raise failed

    def is_settled(self) -> bool:
        """True when nothing is being written."""
        return self._thread is None or not self._thread.is_alive()

    def _begin(self, act: Callable[[], None]) -> None:
        self._thread = threading.Thread(target=self._run, args=(act,), name="save")
        self._thread.start()

    def _wait(self) -> None:
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _run(self, act: Callable[[], None]) -> None:
        try:
            act()
        except NotWritten as error:
            self._failed = error
        except Exception as fault:
            # Top of the thread: a failed save must never pass for a successful one.
            log_fault("saving the station failed", fault)
            self._failed = NotWritten(
                f"not saved, by a fault of the program ({type(fault).__name__}): keep it elsewhere, and report it"
            )
