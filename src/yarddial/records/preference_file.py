"""Preferences in one small JSON file; unreadable ones are reported and replaced by defaults."""

import json
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.reading import LIST_FILE, read_json_value
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.locator import read_locator
from yarddial.yard.preferences import Preferences


class PreferenceFile:
    """Reads and writes preferences; fields of newer versions are kept."""

    def __init__(self, place: Path) -> None:
        self._place = place
        self._others: dict[str, Any] = {}

    def read(self) -> tuple[Preferences, str]:
        """Read the preferences; the sentence is empty unless some could not be read."""
        if not self._place.exists():
            return Preferences(), ""
        try:
            raw = read_json_value(self._place, LIST_FILE, BadStation)
        except BadStation as error:
            return Preferences(), f"the settings could not be read, the usual ones hold: {error}"
        if not isinstance(raw, dict):
            return Preferences(), f"{self._place} holds no settings: the usual ones hold"
        known = {field.name: field.type for field in msgspec.structs.fields(Preferences)}
        self._others = {name: value for name, value in raw.items() if name not in known}
        good: dict[str, Any] = {}
        bad: list[str] = []
        for name, kind in known.items():
            if name in raw:
                try:
                    good[name] = _checked(name, msgspec.convert(raw[name], kind))
                except (msgspec.ValidationError, BadStation):
                    bad.append(name)
        message = f"{self._place}: {', '.join(bad)} cannot be, the usual holds" if bad else ""
        return Preferences(**good), message

    def save(self, now: Preferences) -> None:
        """Write all preferences; raises NotWritten."""
        try:
            self._place.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise NotWritten(f"cannot make {self._place.parent}: {error.strerror}; check its permissions") from error
        content = self._others | msgspec.to_builtins(now)
        write_whole(self._place, (json.dumps(content, indent=1, ensure_ascii=False) + "\n").encode())


def _checked(name: str, value: Any) -> Any:
    if name == "text_scale" and not 1.0 <= value <= 2.0:
        raise BadStation("text_scale lies between 1 and 2")
    return read_locator(value) if name == "locator" else value
