"""Flow of direct current through the whole yard, including splitters and back down into other receivers.

Source: which parts pass direct current, `yard.parts.electrical`; Kirchhoff's laws for the rest.
"""

from collections.abc import Sequence
from itertools import pairwise

import msgspec

from yarddial.yard.parts import Part, Receiver, TwoPort
from yarddial.yard.parts.electrical import dc_hazard, passes_dc
from yarddial.yard.resolved_route import ResolvedRoute


class DcReached(msgspec.Struct, frozen=True):
    """A part that direct current reaches.

    port : of a receiver. downwards : it arrives at the antenna side. through : parts passed on the way.
    """

    part: Part
    port: str
    downwards: bool
    through: tuple[str, ...]


class DcGraph:
    """All routes of a yard as one graph; a part shared by several routes is one node."""

    def __init__(self, routes: Sequence[ResolvedRoute]) -> None:
        self._up: dict[tuple[str, str], list[tuple[Part, str]]] = {}
        self._down: dict[tuple[str, str], list[tuple[Part, str]]] = {}
        for route in routes:
            parts = [(part, route.port if isinstance(part, Receiver) else "") for part in route.parts]
            for before, after in pairwise(parts):
                _put(self._up, after, before)
                _put(self._down, before, after)

    def follow(self, owner: str, port: str, *, down: bool = False) -> tuple[DcReached, ...]:
        """List everything that the feed of a part, or of a receiver's port, puts its voltage on.

        It runs towards the antennas, or `down` to the receivers; a splitter that passes current hands it to all its
        outputs, a switch to the one that is chosen, which is taken to be the feed's. A part that blocks it, or is
        harmed by it, ends the way.
        """
        reached: list[DcReached] = []
        seen: set[tuple[str, str]] = {(owner, port)}
        # Queue of parts to visit: the part, whether current flows down to its input, and the parts already passed.
        conductors: list[tuple[Part, str, bool, tuple[str, ...]]] = [
            (part, its_port, down, ()) for part, its_port in (self._down if down else self._up).get((owner, port), [])
        ]
        while conductors:
            part, its_port, downwards, through = conductors.pop(0)
            if (part.name, its_port) in seen:
                continue
            seen.add((part.name, its_port))
            reached.append(DcReached(part, its_port, downwards, through))
            if dc_hazard(part) or not passes_dc(part):
                continue
            passed = (*through, part.name)
            is_splitter = isinstance(part, TwoPort) and part.what == "splitter"
            if not downwards:
                conductors += [
                    (neighbour, name, False, passed) for neighbour, name in self._up.get((part.name, its_port), [])
                ]
            if downwards or is_splitter:
                conductors += [
                    (neighbour, name, True, passed) for neighbour, name in self._down.get((part.name, its_port), [])
                ]
        return tuple(reached)


def _put(
    conductors: dict[tuple[str, str], list[tuple[Part, str]]], here: tuple[Part, str], there: tuple[Part, str]
) -> None:
    known = conductors.setdefault((here[0].name, here[1]), [])
    if (there[0].name, there[1]) not in [(part.name, port) for part, port in known]:
        known.append(there)
