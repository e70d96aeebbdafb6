"""Connectors and impedances, and which connectors mate."""

from typing import Literal

import msgspec

Connector = Literal[
    "", "SMA", "RP-SMA", "MCX", "MMCX", "SMB", "BNC", "TNC", "F", "N", "UHF", "IEC", "phono", "terminals"
]  # fmt: skip
# IEC is the coaxial plug of domestic aerials (IEC 61169-2); RP-SMA has an SMA's centre contacts exchanged.
CONNECTORS: tuple[Connector, ...] = (
    "SMA", "RP-SMA", "MCX", "MMCX", "SMB", "BNC", "TNC", "F", "N", "UHF", "IEC", "phono", "terminals"
)  # fmt: skip
Sex = Literal["jack", "plug"]


class Socket(msgspec.Struct, frozen=True, omit_defaults=True):
    """A socket of a part; an empty connector is unknown."""

    connector: Connector = ""
    sex: Sex = "jack"
    ohms: float = 50.0

    @property
    def text(self) -> str:
        """The socket as people write it."""
        return f"{self.connector} {self.sex}, {self.ohms:g} Ω" if self.connector else "not looked at"

    def mates(self, other: "Socket") -> bool:
        """True when two sockets mate directly; unknown sockets are assumed to fit."""
        if not self.connector or not other.connector:
            return True
        if self.connector == "terminals":
            # Terminals take any bare wire.
            return other.connector == "terminals"
        return self.connector == other.connector and self.sex != other.sex

    def opposite(self) -> "Socket":
        """Connector that mates with this one."""
        return msgspec.structs.replace(self, sex="plug" if self.sex == "jack" else "jack")
