"""The current time. All code asks here, so that a test can set the clock."""

import time
from collections.abc import Callable
from datetime import UTC, datetime


def _computer() -> datetime:
    return datetime.now(UTC)


_source: Callable[[], datetime] = _computer


def now() -> datetime:
    """Current time in UTC."""
    return _source()


def utc_text(moment: datetime | None = None) -> str:
    """Write a time, now by default, to the second in ISO 8601: `2026-11-25T18:30:00Z`."""
    return (moment or now()).strftime("%Y-%m-%dT%H:%M:%SZ")


def today() -> str:
    """Current date in UTC, such as 2026-11-25."""
    return now().strftime("%Y-%m-%d")


def monotonic_s() -> float:
    """Seconds since an arbitrary start; never decreases."""
    return time.monotonic()


def set_source(source: Callable[[], datetime] | None) -> None:
    """Take the time from another source; None restores the computer's clock."""
    global _source
    _source = source or _computer
