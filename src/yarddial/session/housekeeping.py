"""Periodic tasks of a session: save the dial, retry the log, return memory."""

from collections.abc import Callable

from yarddial.session.background import Background
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.memory import give_back
from yarddial.session.station.desk import Desk
from yarddial.yard import clock

# Save the dial and retry the log after this many polls or seconds, whichever is first: an idle window polls seldom.
RETRY_POLLS, RETRY_S = 120, 2.0
# Update growing uncertainties at this interval.
GROW_POLLS, GROW_S = 3600, 60.0
# The start is over after this many polls; only then is the log copied.
START_POLLS = 100


class Housekeeping:
    """Periodic tasks, by polls and time."""

    def __init__(self, desk: Desk, log: LogKeeper, grow: Callable[[], None], upkeep: Background) -> None:
        """grow : lets uncertainties grow with time. upkeep : does what may take long."""
        self._desk, self._log, self._grow, self._upkeep = desk, log, grow, upkeep
        self._growth, self._retries = _Every(GROW_POLLS, GROW_S), _Every(RETRY_POLLS, RETRY_S)
        self._polls = 0
        self._has_cleared = False

    def hurry(self) -> None:
        """Save the dial and retry the log at the next poll."""
        self._retries.hurry()

    def poll(self) -> None:
        """Run the tasks that are due."""
        if self._growth.is_due():
            self._grow()
            self._upkeep.ask("memory", give_back, lambda _: None, lambda sentence: None)
        if self._retries.is_due():
            self._desk.save_dial()
            if self._log.waiting or self._log.trouble:
                self._log.retry()
            if self._polls >= START_POLLS:
                self._check_regularly()
        self._polls += 1

    def _check_regularly(self) -> None:
        """Make the log's daily copy, and remove leftovers of killed programs."""
        self._log.check_regularly(self._upkeep)
        if not self._has_cleared:
            from yarddial.records.temporary import clear_dead_folders

            self._has_cleared = True
            self._upkeep.ask("folders left behind", clear_dead_folders, lambda count: None, lambda sentence: None)


class _Every:
    """Timer that is due after a number of polls or seconds."""

    def __init__(self, polls: int, seconds_s: float) -> None:
        self._every, self._every_s = polls, seconds_s
        self._polls, self._last_s = 0, clock.monotonic_s()

    def hurry(self) -> None:
        """Make it due at the next poll."""
        self._polls = self._every

    def is_due(self) -> bool:
        """Count a poll; return True when due."""
        self._polls += 1
        if self._polls < self._every and clock.monotonic_s() - self._last_s < self._every_s:
            return False
        self._polls, self._last_s = 0, clock.monotonic_s()
        return True
