"""Plugs and switches that several routes share: who moves them, and where each was last confirmed."""

from typing import Literal

import msgspec

# Who joins a shared socket to one of its neighbours. itself : it serves all of them at once, as a splitter does, or
# changes over without anybody's doing, as a transmit/receive relay does.
Switching = Literal["hand", "program", "itself"]
# unchecked : a person said so and nothing was measured. checking : a measurement is under way. confirmed and
# contradicted : by a measurement afterwards.
MoveCheck = Literal["unchecked", "checking", "confirmed", "contradicted"]
# Checks under which a socket does not count as joined.
NOT_YET: tuple[MoveCheck, ...] = ("checking", "contradicted")


class SocketKey(msgspec.Struct, frozen=True, omit_defaults=True):
    """One socket of a part, or its own lead. port : of a receiver, or the output of a transceiver; else empty."""

    part: str
    side: Literal["input", "output"] = "input"
    port: str = ""


class SocketSwitching(msgspec.Struct, frozen=True):
    """Who switches a shared socket, as the person has stated it."""

    socket: SocketKey
    by: Switching


class Plugged(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a shared socket was last said to be joined to. neighbour : label of the other end; empty for nothing."""

    socket: SocketKey
    neighbour: str
    date_utc: str = ""
    check: MoveCheck = "unchecked"
