"""One line of the log, as data; light, so that a window can start without a database."""

import msgspec

from yarddial.records.log_data import NO_DATA, LogData
from yarddial.yard import clock


class Entry(msgspec.Struct, frozen=True, kw_only=True):
    """One line of the log: what, when, where, how, against what, and the numbers as `data`.

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
    """This moment in UTC, to the second, as ISO 8601."""
    return clock.utc_text()
