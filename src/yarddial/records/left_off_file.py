"""Where a person left off, in one small JSON file; a convenience, so that an unreadable one counts as none."""

from pathlib import Path

import msgspec

from yarddial.records.reading import LIST_FILE, read_bytes
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.left_off import LeftOff


class LeftOffFile:
    """The file of one yard."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def read(self) -> LeftOff:
        """Read it; the usual beginning where there is none."""
        if not self._path.exists():
            return LeftOff()
        try:
            return msgspec.json.decode(read_bytes(self._path, LIST_FILE, BadStation), type=LeftOff)
        except (BadStation, msgspec.MsgspecError, UnicodeError):
            return LeftOff()

    def write(self, now: LeftOff) -> None:
        """Write it, or leave it where the disk takes nothing."""
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self._path, msgspec.json.encode(now))
        except (NotWritten, OSError):
            return
