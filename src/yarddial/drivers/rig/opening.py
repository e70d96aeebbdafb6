"""A transceiver's address: how it is written, and what opens it.

`rig:tcp://HOST:PORT`             a daemon that runs already
`rig:daemon:MODEL[@LINE[:SPEED]]` a daemon that is started for it
`rig:TABLE@LINE[:SPEED]`          a serial line, by a table of commands: a file, or `template`
`rig:simulated`                   the made-up one
"""

import re
from typing import TYPE_CHECKING

import msgspec

from yarddial.drivers.rig.key_handle import KeyHandle
from yarddial.drivers.rig.protocol import RigAnswer, RigLink, RigOrder
from yarddial.yard.errors import DeviceNotFound
from yarddial.yard.plain_text import one_line

if TYPE_CHECKING:
    from yarddial.drivers.rig.daemon_process import DaemonProcess
    from yarddial.drivers.rig.stand_in import StandIn

SIMULATED = "rig:simulated"
_TCP = re.compile(r"(?:rig:)?tcp://(?P<host>[\w.-]+|\[[0-9a-fA-F:]+\]):(?P<port>\d{1,5})")
_DAEMON = re.compile(r"(?:rig:)?daemon:(?P<model>\d{1,7})(?:@(?P<device>/[^:]+)(?::(?P<speed>\d{3,7}))?)?")
_TABLE = re.compile(r"(?:rig:)?(?P<table>(?!(?:rig:)?daemon:)[^@]+)@(?P<device>/[^:]+)(?::(?P<speed>\d{3,7}))?")


class RigAddress(msgspec.Struct, frozen=True):
    """Parts of an address. kind : tcp, daemon, table or simulated; other fields as the kind requires."""

    kind: str
    host: str = ""
    port: int = 0
    model: int = 0
    table: str = ""
    device: str = ""
    speed: int = 0


def parse_rig_address(text: str) -> RigAddress:
    """Parse an address; raises DeviceNotFound in one sentence."""
    text = text.strip()
    if text == SIMULATED:
        return RigAddress("simulated")
    if (match := _TCP.fullmatch(text)) and 0 < int(match["port"]) < 65_536:
        return RigAddress("tcp", host=match["host"].strip("[]"), port=int(match["port"]))
    if match := _DAEMON.fullmatch(text):
        return RigAddress(
            "daemon", model=int(match["model"]), device=match["device"] or "", speed=int(match["speed"] or 0)
        )
    if "://" not in text and (match := _TABLE.fullmatch(text)):
        return RigAddress("table", table=match["table"], device=match["device"], speed=int(match["speed"] or 0))
    raise DeviceNotFound(
        f"'{one_line(text)}' is no transceiver's address: write rig:tcp://127.0.0.1:4532, "
        "rig:daemon:MODEL@/dev/LINE:9600, or a table of commands and its line, TABLE.json@/dev/LINE:9600"
    )


def open_rig(address: str) -> RigLink:
    """Open an address; raises DeviceNotFound, BadTable or RigGone in one sentence."""
    asked = parse_rig_address(address)
    from yarddial.drivers.rig.daemon_link import DaemonLink

    match asked.kind:
        case "tcp":
            return DaemonLink(asked.host, asked.port)
        case "daemon":
            from yarddial.drivers.rig.daemon_process import DaemonAddress, DaemonProcess

            process = DaemonProcess(DaemonAddress(asked.model, asked.device, asked.speed))
            return _Owned(DaemonLink("127.0.0.1", process.port), process)
        case "table":
            from yarddial.drivers.rig.command_table import load_table
            from yarddial.drivers.rig.table_link import TableLink, open_port

            table = load_table(asked.table)
            return TableLink(table, open_port(asked.device, table, asked.speed), asked.device)
        case _:
            from yarddial.drivers.rig.stand_in import StandIn

            stand_in = StandIn()
            return _Owned(DaemonLink("127.0.0.1", stand_in.port), stand_in)


class _Owned:
    """A link together with the process that serves it; both end together."""

    def __init__(self, link: RigLink, owned: "DaemonProcess | StandIn") -> None:
        self._link, self.owned = link, owned
        self.depth = link.depth

    @property
    def strays(self) -> int:
        """Number of answers that belonged to no question."""
        return int(getattr(self._link, "strays", 0))

    def begin(self, order: RigOrder) -> None:
        """Send an order."""
        self._link.begin(order)

    def answers(self, wait_s: float) -> list[RigAnswer]:
        """Answers that arrived, waiting at most this long for the first."""
        return self._link.answers(wait_s)

    def open_key(self) -> KeyHandle:
        """Open the transmitter's key."""
        return self._link.open_key()

    def close(self) -> None:
        """Close the link and end its other side."""
        self._link.close()
        self.owned.close()
