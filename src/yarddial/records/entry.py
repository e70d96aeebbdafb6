"""A log entry as data, without a database, so that a window starts fast."""

import msgspec

from yarddial.records.log_data import NO_DATA, LogData
from yarddial.yard import clock


class Entry(msgspec.Struct, frozen=True, kw_only=True):
    """A log entry: what, when, where, how, against what, with the numbers as `data`.

    kind : `observation`, `correction`, `undo`, `verification`, `card` or `note`.
    """

    station: str
    kind: str
    text: str
    at_utc: str = ""
    route: str = ""
    method: str = ""
    reference: str = ""
    temperature_c: float | None = None
    data: LogData = NO_DATA
    id: int = 0


def utc_now() -> str:
    """Current time in UTC, to the second, as ISO 8601."""
    return clock.utc_text()
