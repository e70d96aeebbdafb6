"""Real and virtual time."""

import time


class RealTime:
    """The computer's monotonic clock."""

    def now_s(self) -> float:
        """Seconds since an arbitrary start."""
        return time.monotonic()

    def sleep_s(self, seconds: float) -> None:
        """Sleep for a number of seconds."""
        if seconds > 0:
            time.sleep(seconds)


class VirtualTime:
    """A clock that advances only when waited on, so that everything runs flat out."""

    def __init__(self) -> None:
        self._now_s = 0.0

    def now_s(self) -> float:
        """Seconds waited in total."""
        return self._now_s

    def sleep_s(self, seconds: float) -> None:
        """Advance the time without waiting."""
        self._now_s += max(seconds, 0.0)
