"""The demo yard's table as a person handles it: what their hands really do, which the program is not told."""

from collections.abc import Callable
from pathlib import Path

import msgspec

from yarddial.drivers.simulated.table import SimulatedTable, table_query
from yarddial.session.listeners import Listener, Listeners


class DemoTable:
    """Turns the switch and pulls leads of the simulated receivers; the yard is not changed by that."""

    def __init__(self, path_of: Callable[[], Path]) -> None:
        """path_of : called once, when a simulated receiver is first opened or the table first touched."""
        self._path_of = path_of
        self._path: Path | None = None
        self._changed = Listeners()
        self.state = SimulatedTable()

    def on_table_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for what the hands do."""
        return self._changed.add(listener)

    def query(self) -> str:
        """Part of a simulated receiver's address that names this table; raises NotWritten."""
        if self._path is None:
            self._path = self._path_of()
            self._write()
        return table_query(self._path)

    def turn(self, output: str) -> None:
        """Turn the switch to an output."""
        self._set(msgspec.structs.replace(self.state, patch=output))

    def pull(self, antenna: str, *, out: bool) -> None:
        """Pull the lead of an antenna out, or plug it in."""
        others = tuple(name for name in self.state.pulled if name != antenna)
        self._set(msgspec.structs.replace(self.state, pulled=(*others, antenna) if out else others))

    def set_menu(self, menu_hz: float) -> None:
        """Set the transceiver's menu: hertz at 10 MHz, added to its reference."""
        self._set(msgspec.structs.replace(self.state, menu_hz=menu_hz))

    def _set(self, state: SimulatedTable) -> None:
        self.state = state
        self.query()
        self._write()
        self._changed.tell()

    def _write(self) -> None:
        from yarddial.records.whole_file import write_whole

        if self._path is not None:
            write_whole(self._path, msgspec.json.encode(self.state), durable=False)
