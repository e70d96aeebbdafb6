"""Recordings that were made here, as the log tells them."""

import re
from pathlib import Path

from yarddial.session.log.log_keeper import LogKeeper

# As the recorder's notes end.
_SAVED = re.compile(r"^(?:Sound|Samples) of [\d.]+ s (?:saved|brought from .+, saved) as (.+)$")
MAX_READ, MAX_LISTED = 400, 8


def own_recordings(log: LogKeeper) -> tuple[Path, ...]:
    """Recordings of the person that still exist, the latest first."""
    paths = (
        Path(match.group(1)) for entry in log.entries("note", limit=MAX_READ) if (match := _SAVED.match(entry.text))
    )
    return tuple(dict.fromkeys(path for path in paths if path.is_file()))[:MAX_LISTED]
