"""What must lie on the table before a yard is put together: parts, leads, supplies, remedies, and the order of work.

Everything is read from the parts' own connectors, needs and kinds. Sources: mating by IEC 61169 (see `connectors`);
separation and ferrites against a computer's noise by the usual practice of IEC 61000-5-2; antennas by IEC 60728-11.
"""

from collections import Counter
from itertools import pairwise

import msgspec

from yarddial.analysis.audit.caution import OUTDOORS
from yarddial.yard.parts import Antenna, Part, Receiver, Socket, Transceiver, TwoPort
from yarddial.yard.parts.electrical import input_socket, output_socket
from yarddial.yard.parts.supply import Need
from yarddial.yard.shared_sockets import shared_sockets
from yarddial.yard.shelf import kind_of
from yarddial.yard.station import Station

# How to put up each kind of antenna, beyond the common caution.
PUTTING_UP = {
    "wire": "A wire: two supports that stand in a storm, insulators at both ends, slack for the wind; its far end out "
    "of reach, also when it breaks. Choke or transformer at the feed point, its ground to a rod of its own.",
    "dipole": "A dipole: equal arms, the balun at the middle, relief of strain so that the cable does not carry it.",
    "whip": "A whip: upright, as far from the computer as its lead allows, on a metal plate where it has a magnet. Its "
    "tip at eye height gets a bead.",
    "discone": "A discone: on a mast that is earthed, lowered in a storm or protected by an arrester at the wall.",
    "loop": "A loop: some metres from the house's wiring; turn it until the disturbance is weakest.",
    "dish": "A dish: aimed by its elevation scale first, then sideways in small steps; never look along it at the sun, "
    "whose light it gathers.",
    "beam": "A beam: two persons and a still day; nothing is tightened from a ladder that is not secured.",
}
NEAR_COMPUTER = (
    "a USB extension of 1 to 3 m, so that the receiver lies away from the computer and its screen",
    "clip-on ferrites: one on the USB lead, one on the antenna's lead, both beside the receiver",
    "a mark at the USB socket: use the same one again, so that nothing of what was measured changes",
)
ORDER = (
    "Switch every transmitter off, and keep it off until Bench has no stop.",
    "Join the leads from the receiver outwards, the antenna's last.",
    "Discharge the lead of an outdoor antenna to earth, then plug it in; not with a storm near.",
    "Plug the receiver into the computer, then the supplies, each after reading its volts and polarity.",
    "Switch a bias feed on last, after Bench has shown what it reaches.",
)


class KitSection(msgspec.Struct, frozen=True):
    """A heading and its lines."""

    title: str
    lines: tuple[str, ...]


def kit(station: Station) -> tuple[KitSection, ...]:
    """Lists for a yard; sections without lines are left out."""
    sections = (
        KitSection("Parts", tuple(_part(part) for part in station.parts)),
        KitSection("Leads and adapters", _joints(station)),
        KitSection("Supplies", tuple(_supply(part) for part in station.parts if _need(part) is not None)),
        KitSection("Against the computer's own noise", NEAR_COMPUTER if _has_receiver(station) else ()),
        KitSection("Plugs that a hand moves", _by_hand(station)),
        KitSection("Order of work", ORDER if station.parts else ()),
        KitSection("Putting up the antennas", _antennas(station)),
    )
    return tuple(section for section in sections if section.lines)


def _part(part: Part) -> str:
    note = getattr(part, "note", "")
    return f"{part.name}, {kind_of(part)}" + (f": {note}" if note else "")


def _need(part: Part) -> Need | None:
    need = getattr(part, "need", None)
    return need if isinstance(need, Need) else None


def _has_receiver(station: Station) -> bool:
    return any(isinstance(part, Receiver) for part in station.parts)


def _joints(station: Station) -> tuple[str, ...]:
    """Each joint once: what mates, the adapter it needs, or that nobody looked at its connectors."""
    lines: list[str] = []
    needed: Counter[str] = Counter()
    for route in station.routes:
        parts = [station.part(name) for name in route.parts]
        for before, after in pairwise(parts):
            left, right = output_socket(before), input_socket(after, route.port)
            line = f"{before.name} to {after.name}: {_joint(left, right)}"
            if line not in lines:
                lines.append(line)
                if not left.mates(right):
                    needed[f"{_end(left.opposite())} to {_end(right.opposite())}"] += 1
    bought = ", ".join(f"{count} x {what}" for what, count in needed.items())
    return (*lines, *((f"To get: {bought}",) if bought else ()))


def _joint(left: Socket, right: Socket) -> str:
    if not left.connector or not right.connector:
        return "look at its connectors and enter them on Bench"
    if left.mates(right):
        return f"{_end(left)} into {_end(right)}, they mate"
    if left.connector == right.connector:
        return f"a lead, {_end(left.opposite())} to {_end(right.opposite())}"
    return f"a lead or adapter, {_end(left.opposite())} to {_end(right.opposite())}"


def _end(socket: Socket) -> str:
    return f"{socket.connector} {socket.sex}"


def _supply(part: Part) -> str:
    need = _need(part)
    assert need is not None
    if need.by == "line":
        return f"{part.name}: {need.text} through its line, from an injector or the receiver's feed"
    lead = f"from {need.lead.source or 'its supply'}" if need.lead is not None else "nobody said yet from what"
    return f"{part.name}: {need.text}, {lead}; a meter to check volts and polarity before the first time"


def _by_hand(station: Station) -> tuple[str, ...]:
    return tuple(
        f"{socket.label}: label the leads of {', '.join(socket.neighbours)}"
        for socket in shared_sockets(station)
        if socket.by == "hand"
    )


def _antennas(station: Station) -> tuple[str, ...]:
    """How each kind is put up, after what counts for all outdoors."""
    antennas = [part for part in station.parts if isinstance(part, Antenna) and part.kind != "dummy load"]
    common = (OUTDOORS,) if any(antenna.outdoors or antenna.kind != "whip" for antenna in antennas) else ()
    kinds = dict.fromkeys(antenna.kind for antenna in antennas)
    arrester = any(isinstance(part, TwoPort) and part.what == "arrester" for part in station.parts)
    more = () if arrester or not common else ("No arrester is in this yard: local rules may ask for one at the wall.",)
    sends = any(isinstance(part, Transceiver) and part.transmit_w > 0 for part in station.parts)
    away = ("Bench says how far people keep away from each transmitting antenna.",) if sends else ()
    return (*common, *(PUTTING_UP[kind] for kind in kinds if kind in PUTTING_UP), *more, *away)
