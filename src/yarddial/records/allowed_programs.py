"""Programs that a person has allowed as receivers on this computer; no station file can allow one."""

import json
from pathlib import Path

from yarddial.records.reading import LIST_FILE, read_json_value
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation, NotWritten


class AllowedPrograms:
    """Exact commands in one small JSON file; an unreadable file allows nothing."""

    def __init__(self, place: Path) -> None:
        self._place = place

    def allows(self, command: str) -> bool:
        """Return True for a command that was allowed exactly as written."""
        return command in self._commands()

    def allow(self, command: str) -> None:
        """Allow a program; raises NotWritten."""
        commands = self._commands()
        if command in commands:
            return
        try:
            self._place.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {self._place.parent}: {error.strerror}; check its permissions") from error
        write_whole(self._place, json.dumps([*commands, command], indent=1).encode())

    def _commands(self) -> list[str]:
        try:
            raw = read_json_value(self._place, LIST_FILE, BadStation)
        except BadStation:
            return []
        return [command for command in raw if isinstance(command, str)] if isinstance(raw, list) else []
