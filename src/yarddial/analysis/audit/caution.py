"""Cautions for a part at the moment it is chosen, and for a recording when it is begun.

They say what Bench cannot compute, and defer to local rules and licensed practice. Sources: the lightning and earthing
practice of IEC 62305-3 and 60728-11 (antennas), the usual advice of power utilities on wires near lines, and the
isolation figures that makers state for receive outputs.
"""

from typing import assert_never

from yarddial.yard.parts import Antenna, Converter, Isolator, Lnb, Part, Receiver, Transceiver, TwoPort

OUTDOORS = (
    "Put it up where neither it nor its mast can fall on a power line. Unplug and earth its lead before a storm; "
    "discharge it before you plug it in."
)
SUPPLY = (
    "Feed it just the volts and the polarity that its sheet says, and plug its supply in last: a voltage on the wrong "
    "lead burns it, or what stands beside it."
)
TRANSMITTER = (
    "Know before its first transmission: which menu closes its output, how many decibels that isolates, how many watts "
    "it has. Begin with the lowest power into a dummy load; your licence decides."
)
SHARED = (
    "If a transmitter shares it, its isolation in decibels decides how much power reaches the receiver, and a relay "
    "can stick: enter the isolation before you transmit."
)
RECORDING = "What may be received, recorded and passed on differs from place to place: local rules decide."


def caution_for(part: Part) -> str:
    """Return the caution for a part that is being chosen; empty when there is none."""
    match part:
        case Antenna():
            return "" if part.kind in ("whip", "dummy load") and not part.outdoors else OUTDOORS
        case Transceiver():
            return TRANSMITTER
        case TwoPort():
            if part.what in ("switch", "splitter", "relay", "diplexer"):
                return SHARED
            return SUPPLY if part.need is not None or part.feed is not None else ""
        case Converter() | Lnb():
            return SUPPLY if part.need is not None else ""
        case Isolator() | Receiver():
            return ""
        case _:
            assert_never(part)
