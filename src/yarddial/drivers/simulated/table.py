"""The table of the demo yard: where the leads and the switch really are, whatever the person says.

A small file holds it. The window writes it, and every simulated receiver whose address names it reads it again before
each block. Light to import: the window makes a table at start-up.
"""

from pathlib import Path
from urllib.parse import quote, unquote

import msgspec

from yarddial.yard.errors import DeviceNotFound

# Antennas of the world by the names of the demo yard's parts.
ANTENNAS = {"Long wire": "long wire", "Discone": "discone", "Dish": "dish"}
# Output of the switch that each port on the long wire hangs on.
OUTPUT_OF_PORT = {"ladder": "Ladder", "direct": "Hearth", "A": "Hearth"}


class SimulatedTable(msgspec.Struct, frozen=True):
    """patch : output that the switch really stands at. pulled : antennas whose leads are out.

    menu_hz : what is set in the transceiver's menu, hertz at 10 MHz, added to its reference.
    """

    patch: str = "Ladder"
    pulled: tuple[str, ...] = ()
    menu_hz: float = 0.0


class TableFile:
    """Reads the file whenever it has changed."""

    def __init__(self, path: Path) -> None:
        """Raises DeviceNotFound where there is no such file."""
        self._path = path
        self._seen_ns = -1
        self.state = SimulatedTable()
        if not path.is_file():
            raise DeviceNotFound(f"there is no table in '{path}': leave table= out, or name the file of one")
        self.is_changed()

    def is_changed(self) -> bool:
        """Read the file again if it was written since; return whether the table has changed."""
        try:
            written_ns = self._path.stat().st_mtime_ns
            if written_ns == self._seen_ns:
                return False
            state = msgspec.json.decode(self._path.read_bytes(), type=SimulatedTable)
        except (OSError, msgspec.MsgspecError):
            # Removed with its folder, or being replaced: the table stays as it was.
            return False
        self._seen_ns, before = written_ns, self.state
        self.state = state
        return state != before


def table_query(path: Path) -> str:
    """Part of an address that names a table's file."""
    return f"table={quote(str(path), safe='')}"


def table_at(text: str) -> TableFile | None:
    """Table of an address; None where it names none."""
    return TableFile(Path(unquote(text))) if text else None
