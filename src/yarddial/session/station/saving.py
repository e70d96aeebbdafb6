"""Saving without making the hand wait: the disk is written in a thread, one edit at a time, none skipped unseen."""

import threading
from collections.abc import Callable

from yarddial.yard.errors import NotWritten
from yarddial.yard.fault_log import log_fault
from yarddial.yard.station import Station


class BackgroundSave:
    """Call it with a station: the save before is finished first, so that at most the very last edit is not on disk yet.

    Raises
    ------
    NotWritten
        The save before this one failed; this one is under way all the same.
    """

    def __init__(self, save: Callable[[Station], None], check: Callable[[], None] | None = None) -> None:
        """`check` : looks whether the file is still as it was left; raises NotWritten."""
        self._save, self._check = save, check
        self._thread: threading.Thread | None = None
        self._failed: NotWritten | None = None

    def __call__(self, station: Station) -> None:
        """Save in the background."""
        self._wait()
        failed, self._failed = self._failed, None
        self._begin(lambda: self._save(station))
        if failed is not None:
            raise failed

    def look(self) -> None:
        """Look at the file in the background, unless it is being written."""
        if self._check is not None and self.is_settled() and self._failed is None:
            self._wait()
            self._begin(self._check)

    def settle(self) -> None:
        """Wait for the save under way; raises NotWritten when it failed."""
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
            # The top of a thread: a save that did not happen must never pass for one that did.
            log_fault("saving the station failed", fault)
            self._failed = NotWritten(
                f"not saved, by a fault of the program ({type(fault).__name__}): keep it elsewhere, and report it"
            )
