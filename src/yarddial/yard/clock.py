"""What time it is: the one place that is asked, so that a test can turn the clock."""

import time
from collections.abc import Callable
from datetime import UTC, datetime


def _computer() -> datetime:
    return datetime.now(UTC)


_source: Callable[[], datetime] = _computer


def now() -> datetime:
    """This moment, in UTC."""
    return _source()


def utc_text(moment: datetime | None = None) -> str:
    """A moment, this one by default, to the second, as ISO 8601: `2026-11-25T18:30:00Z`."""
    return (moment or now()).strftime("%Y-%m-%dT%H:%M:%SZ")


def today() -> str:
    """This day in UTC, as 2026-11-25."""
    return now().strftime("%Y-%m-%d")


def monotonic_s() -> float:
    """Seconds since some fixed moment; never turned back."""
    return time.monotonic()


def set_source(source: Callable[[], datetime] | None) -> None:
    """Take the time from elsewhere; None is the computer's own clock again."""
    global _source
    _source = source or _computer
