"""Check of connectors that do not mate, with the adapter to buy, and of impedance steps.

Sources: IEC 61169 (interfaces of coaxial connectors by type), MIL-STD-348 (pins); loss at a step of impedance
-10 log10(1 - r^2), r = (Z2 - Z1) / (Z2 + Z1) (Pozar, Microwave Engineering, 2.3).
"""

from collections.abc import Iterator
from functools import partial
from itertools import pairwise
from math import log10

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.parts import Socket, TwoPort, Value
from yarddial.yard.parts.electrical import input_socket, output_socket
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station


def connectors(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check every joint of every route once."""
    for route in routes:
        ends = route.parts
        for index, (before, after) in enumerate(pairwise(ends)):
            left, right = output_socket(before), input_socket(after, route.port)
            pair = f"{before.name}>{after.name}"
            if not left.mates(right):
                yield _unmated(route, index + 1, pair, (before.name, left), (after.name, right))
            elif left.connector and right.connector and left.ohms != right.ohms:
                yield _step(pair, (before.name, left), (after.name, right))


def _unmated(
    route: ResolvedRoute, index: int, pair: str, left: tuple[str, Socket], right: tuple[str, Socket]
) -> BenchFinding:
    towards_left, towards_right = left[1].opposite(), right[1].opposite()
    words = f"{_short(towards_left)} to {_short(towards_right)}"
    adapter = TwoPort(
        f"Adapter {towards_left.connector}–{towards_right.connector}",
        "adapter",
        Value(-0.1, 0.05, "assumed", note="usual for adapters"),
        note=words,
        passes_dc=True,
        input=towards_left,
        output=towards_right,
    )
    return BenchFinding(
        f"connector:{pair}",
        "look",
        f"{left[0]} ends in {_article(left[1])}, {right[0]} begins with {_article(right[1])}: they do not mate",
        f"buy an adapter, {words}",
        part=right[0],
        mend_label="Put in the adapter",
        mend=partial(_with_adapter, adapter=adapter, route=route.name, index=index),
    )


def _with_adapter(station: Station, adapter: TwoPort, route: str, index: int) -> Station:
    """Return the station with the adapter inserted in every route that has this joint."""
    from yarddial.yard.editing import put_in

    names = station.route_named(route).parts
    joint = names[index - 1 : index + 1]
    station = put_in(station, adapter, route, index)
    name = station.parts[-1].name
    routes = tuple(
        msgspec.structs.replace(other, parts=_inserted(other.parts, joint, name)) for other in station.routes
    )
    return msgspec.structs.replace(station, routes=routes)


def _inserted(names: tuple[str, ...], joint: tuple[str, ...], new: str) -> tuple[str, ...]:
    for i in range(len(names) - 1):
        if names[i : i + 2] == joint:
            return (*names[: i + 1], new, *names[i + 1 :])
    return names


def _step(
    pair: str,
    left: tuple[str, Socket],
    right: tuple[str, Socket],
) -> BenchFinding:
    if left[1].connector == right[1].connector == "N":
        return _pins_of_n(pair, left, right)
    reflected = abs(right[1].ohms - left[1].ohms) / (right[1].ohms + left[1].ohms)
    loss_db = -10 * log10(1 - reflected**2)
    return BenchFinding(
        f"impedance:{pair}",
        "look",
        f"{left[0]} has {left[1].ohms:g} Ω, {right[0]} {right[1].ohms:g} Ω: {loss_db:.2f} dB lost at the step",
        f"{100 * reflected:.0f} % of the voltage comes back; harmless for receiving, but a filter beside it shifts",
        part=right[0],
    )


def _pins_of_n(pair: str, left: tuple[str, Socket], right: tuple[str, Socket]) -> BenchFinding:
    """Report N connectors of 50 and 75 ohms: they screw together, but their pins are 1.6 and 0.9 mm wide (IEC
    61169-16, MIL-STD-348).
    """
    plug, jack = (left, right) if left[1].sex == "plug" else (right, left)
    sockets = f"{left[0]} has N of {left[1].ohms:g} Ω, {right[0]} N of {right[1].ohms:g} Ω"
    what = f"{sockets}: they screw together and do not fit"
    why = (
        f"the wider pin of {plug[0]} spreads or breaks {jack[0]}'s jack"
        if plug[1].ohms < jack[1].ohms
        else f"the thin pin of {plug[0]} touches {jack[0]}'s jack loosely or not at all"
    )
    return BenchFinding(f"impedance:{pair}", "stop", what, f"{why}; put in an adapter made for both", right[0])


def _short(socket: Socket) -> str:
    return f"{socket.connector} {socket.sex}"


def _article(socket: Socket) -> str:
    vowel = socket.connector in ("SMA", "RP-SMA", "MCX", "MMCX", "SMB", "F", "N", "IEC")
    return f"{'an' if vowel else 'a'} {_short(socket)}"
