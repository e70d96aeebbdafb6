"""Programs that a person has allowed as receivers on this computer; no station file can allow one.

A command is allowed together with the contents, owner and mode of every file that it names. A file that was swapped, or
that others may write since, is asked about again.
"""

import hashlib
import json
import os
import shlex
import stat
from pathlib import Path
from typing import Any

from yarddial.records.reading import LIST_FILE, read_json_value
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.plain_text import one_line

# Files larger than this are told by size and time of change instead of their contents.
MAX_DIGESTED_BYTES = 256 << 20
READ_BYTES = 1 << 20


class AllowedPrograms:
    """Exact commands with what their files were, in one small JSON file; an unreadable file allows nothing."""

    def __init__(self, place: Path) -> None:
        self._place = place

    def allows(self, command: str) -> bool:
        """Return True for a command that was allowed exactly as written, whose files are as they were."""
        return self.why_not(command) == ""

    def why_not(self, command: str) -> str:
        """Reason why a command may not be started; empty for one that may."""
        allowed = self._commands()
        if command not in allowed:
            return f"the program '{one_line(command)}' has not been allowed on this computer: allow it, if you know it"
        before, now = allowed[command], files_of(command)
        changed = sorted(path for path in before.keys() | now.keys() if before.get(path) != now.get(path))
        if changed:
            return (
                f"{one_line(changed[0])} is not the file that was allowed: look who changed it, then allow the "
                "program again, if you know why"
            )
        return ""

    def allow(self, command: str) -> None:
        """Allow a program as its files are now; raises NotWritten."""
        if self.allows(command):
            return
        commands = {**self._commands(), command: files_of(command)}
        try:
            self._place.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {self._place.parent}: {error.strerror}; check its permissions") from error
        rows = [{"command": name, "files": files} for name, files in commands.items()]
        write_whole(self._place, json.dumps(rows, indent=1).encode())

    def _commands(self) -> dict[str, dict[str, Any]]:
        """Allowed commands with their files. An entry of an earlier version names no files, and is asked again."""
        try:
            raw = read_json_value(self._place, LIST_FILE, BadStation)
        except BadStation:
            return {}
        rows = [row for row in raw if isinstance(row, dict)] if isinstance(raw, list) else []
        return {
            row["command"]: row["files"]
            for row in rows
            if isinstance(row.get("command"), str) and isinstance(row.get("files"), dict)
        }


def files_of(command: str) -> dict[str, dict[str, Any]]:
    """What each file named by a command is now: real path, digest, owner and mode; by the word that names it."""
    try:
        words = shlex.split(command)
    except ValueError:
        return {}
    return {word: facts for word in words if os.path.isabs(word) and (facts := _facts(word)) is not None}


def _facts(word: str) -> dict[str, Any] | None:
    path = os.path.realpath(word)
    try:
        with open(path, "rb") as file:
            state = os.fstat(file.fileno())
            if not stat.S_ISREG(state.st_mode):
                return None
            digest = hashlib.sha256()
            if state.st_size <= MAX_DIGESTED_BYTES:
                while block := file.read(READ_BYTES):
                    digest.update(block)
            else:
                digest.update(f"{state.st_size} {state.st_mtime_ns}".encode())
    except OSError:
        return None
    return {"path": path, "sha256": digest.hexdigest(), "owner": state.st_uid, "mode": stat.S_IMODE(state.st_mode)}
