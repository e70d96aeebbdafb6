"""Network address of a computer: name or address, and port."""

import re

from yarddial.yard.errors import DeviceNotFound

# Default port of a serving computer.
DEFAULT_PORT = 47_110
_PLACE = re.compile(r"(?P<host>\[[0-9A-Fa-f:.]+\]|[\w.-]+)(?::(?P<port>\d{1,5}))?")


def host_and_port(text: str, *, to_listen: bool = False) -> tuple[str, int]:
    """Read `shed.local`, `10.0.0.3:47110` or `[fd00::3]:47110`; raises DeviceNotFound in one sentence.

    to_listen : port 0 is allowed and means any free one.
    """
    match = _PLACE.fullmatch(text.strip())
    port = int(match["port"] or DEFAULT_PORT) if match is not None else -1
    if match is None or not (0 if to_listen else 1) <= port < 65_536:
        raise DeviceNotFound(
            f"'{text.strip()[:60]}' is no computer's place: write a name or an address, such as shed.local"
        )
    return match["host"].strip("[]"), port
