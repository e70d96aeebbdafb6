"""Keeper of the preferences: changes one at a time and saves each change."""

from collections.abc import Callable
from typing import Any

import msgspec

from yarddial.session.listeners import Listener, Listeners
from yarddial.yard.errors import NotWritten
from yarddial.yard.frequency import write_digits
from yarddial.yard.level import write_levels
from yarddial.yard.preferences import Preferences


class PreferenceKeeper:
    """`now` is in force; without a save function it lasts as long as the session."""

    def __init__(
        self, now: Preferences | None = None, save: Callable[[Preferences], None] | None = None, trouble: str = ""
    ) -> None:
        self.now = now or Preferences()
        self._save, self._changed = save, Listeners()
        # Why preferences could not be read or written; empty otherwise.
        self.trouble = trouble
        self._put_in_force()

    def on_preferences_changed(self, listener: Listener) -> Callable[[], None]:
        """Listen for changed preferences."""
        return self._changed.add(listener)

    def change(self, **changed: Any) -> None:
        """Change preferences and save them."""
        now = msgspec.structs.replace(self.now, **changed)
        if now == self.now:
            return
        self.now, self.trouble = now, ""
        self._put_in_force()
        if self._save is not None:
            try:
                self._save(now)
            except NotWritten as error:
                self.trouble = f"it holds until the program is closed: {error}"
        self._changed.tell()

    def _put_in_force(self) -> None:
        write_digits(grouped=self.now.digits == "grouped")
        write_levels(s_units_first=self.now.level_unit == "S")
