"""Recently opened station files; a convenience, so that an unreadable list counts as empty."""

import json
from pathlib import Path

from yarddial.records.reading import LIST_FILE, is_regular, read_json_value
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation, NotWritten

MAX_RECENT_FILES = 10


class RecentFiles:
    """The list, in one small JSON file."""

    def __init__(self, place: Path) -> None:
        self._place = place

    def paths(self) -> tuple[Path, ...]:
        """Existing files, the latest first."""
        try:
            raw = read_json_value(self._place, LIST_FILE, BadStation)
        except BadStation:
            return ()
        names = [name for name in raw if isinstance(name, str)] if isinstance(raw, list) else []
        return tuple(path for path in map(Path, names[:MAX_RECENT_FILES]) if is_regular(path))

    def add(self, path: Path) -> None:
        """Move a path to the front of the list."""
        path = path.resolve()
        recent_paths = [str(path), *(str(other) for other in self.paths() if other != path)][:MAX_RECENT_FILES]
        try:
            self._place.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self._place, json.dumps(recent_paths, indent=1).encode())
        except (NotWritten, OSError):
            return
