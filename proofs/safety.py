"""Rules of safety on 66 yards by hand; and where feeds' currents go on 2,000 random ones, against pieces of metal.

The program walks from part to part. Here every wire between two sockets is a node; a part that passes current joins
its nodes, a splitter all of its own, a switch the one that the feed comes by; whatever touches a feed's piece of metal
is reached.
"""

from random import Random

import safety_table
from yarddial.analysis.audit.check import check_yard
from yarddial.yard.parts import Antenna, Feed, Need, Part, Port, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.station import Route, Station

YARDS = 2_000
PASSIVE = (
    "cable", "attenuator", "filter", "preamplifier", "injector", "limiter", "adapter", "transformer", "choke", "block",
    "arrester",
)  # fmt: skip


def prove() -> bool:
    """The table row by row; then every feed of every random yard: the same parts are named."""
    table = safety_table.rows()
    missed = safety_table.wrong_rows(check_yard)
    for line in missed:
        print(line)
    reviewed = [row for row in table if row.why in safety_table.REVIEWED]
    right = sum(1 for row in reviewed if not any(row.why in line for line in missed))
    print(
        f"{'MISS' if missed else 'ok  '} {len({row.rule for row in table})} rules on {len(table)} yards by hand: "
        f"{len(missed)} told otherwise; of a reviewer's nine {right} right"
    )
    feeds = harms = wrong = 0
    for seed in range(YARDS):
        station = random_tree(Random(seed))
        told = {
            (key[1], key[2], finding.key.split(":")[3])
            for finding in check_yard(station)
            if (key := finding.key.split(":"))[0] == "feed" and finding.mark == "stop" and key[3] != "sum"
        }
        for owner, port in _feeds(station):
            feeds += 1
            wanted = _touched(station, owner, port)
            mine = {name for one, where, name in told if (one, where) == (owner, port)}
            harms += len(wanted)
            if mine != wanted:
                wrong += 1
                if wrong < 10:
                    print(f"yard {seed}, {owner} {port}: told {sorted(mine)}, but {sorted(wanted)} ({_shape(station)})")
    good = wrong == 0
    print(
        f"{'ok  ' if good else 'MISS'} {YARDS} yards, {feeds} feeds that are on, {harms} parts they harm: "
        f"{wrong} told wrong"
    )
    return good and not missed


def random_tree(chance: Random) -> Station:
    """One or two antennas, some parts that all lines share, a splitter or switch, and two or three receivers."""
    antenna = Antenna("Wire", 1e5, 2e9, dc_short=chance.random() < 0.3)
    trunk = [_part(chance, f"Trunk {i}") for i in range(chance.randint(0, 3))]
    fork = TwoPort("Fork", chance.choice(("splitter", "switch")), Value(-3.5), passes_dc=chance.random() < 0.7)
    parts: list[Part] = [antenna, *trunk, fork]
    routes = []
    for number in range(chance.randint(2, 3)):
        branch = [_part(chance, f"Branch {number}.{i}") for i in range(chance.randint(0, 2))]
        bias = Feed(4.5, 180.0, on=chance.random() < 0.6) if chance.random() < 0.7 else None
        receiver = Receiver(
            f"Receiver {number}", 1e5, 2e9, 28.8e6, Value(0.0, 25.0), 0.0, (2e6,), 2e6, 8, ports=(Port("a", bias=bias),)
        )
        parts += [*branch, receiver]
        names = ("Wire", *(part.name for part in (*trunk, fork, *branch)), receiver.name)
        routes.append(Route(f"Route {number}", names, "a"))
    return Station("tree", tuple(parts), tuple(routes), dial_hz=1e7, route="Route 0")


def _part(chance: Random, name: str) -> Part:
    if chance.random() < 0.1:
        return Transceiver(name, "antenna", 1e5, 3e7)
    what = chance.choice(PASSIVE)
    need = Need(3.0, 5.0, 50.0, "line") if what == "preamplifier" and chance.random() < 0.5 else None
    feed = Feed(5.0, 100.0, on=chance.random() < 0.5) if what == "injector" else None
    passes = what not in ("attenuator", "limiter", "block") and chance.random() < 0.75
    short = what in ("filter", "arrester") and not passes and chance.random() < 0.5
    down = feed is not None and chance.random() < 0.3
    return TwoPort(name, what, Value(-1.0), passes_dc=passes, need=need, feed=feed, feeds_down=down, dc_short=short)


def _feeds(station: Station) -> list[tuple[str, str]]:
    found = []
    for part in station.parts:
        if isinstance(part, TwoPort) and part.feed is not None and part.feed.on:
            found.append((part.name, ""))
        if isinstance(part, Receiver) and part.ports[0].bias is not None and part.ports[0].bias.on:
            found.append((part.name, "a"))
    return found


def _touched(station: Station, owner: str, port: str) -> set[str]:
    """Parts that a feed harms: all that touch its piece of metal, but for what it may feed."""
    metal: dict[str, str] = {}

    def root(node: str) -> str:
        while metal.setdefault(node, node) != node:
            node = metal[node]
        return node

    by_name = {part.name: part for part in station.parts}
    # The wire into each part; a fork's outputs are the wires into what follows it.
    chosen = next((route for route in station.routes if owner in route.parts), station.routes[0])
    own = by_name[owner]
    # An injector the other way round: it holds the wires behind it, and whichever way a switch stands can be met.
    down = isinstance(own, TwoPort) and own.feeds_down
    for route in station.routes:
        for here, after in zip(route.parts[1:-1], route.parts[2:], strict=True):
            part = by_name[here]
            if not _is_wire(part) or here == owner:
                continue
            if (
                part.what == "switch"
                and not down
                and len([r for r in station.routes if here in r.parts]) > 1
                and route != chosen
            ):
                continue
            metal[root(f"into {after}")] = root(f"into {here}")
    follow = {r.parts[r.parts.index(owner) + 1] for r in station.routes if owner in r.parts[:-1]}
    fed = {root(f"into {after}") for after in follow} if down else {root(f"into {owner}")}
    harmed = set()
    for route in station.routes:
        for before, here in zip(route.parts[:-1], route.parts[1:], strict=True):
            if root(f"into {here}") not in fed:
                continue
            for name, by_input in ((here, True), (before, False)):
                part = by_name[name]
                if name == owner or (name == before and isinstance(part, TwoPort) and part.what == "switch"
                                     and not down and route != chosen and len(station.routes) > 1):  # fmt: skip
                    continue
                if _is_harmed(part, by_input=by_input):
                    harmed.add(name)
    return harmed


def _is_wire(part: Part) -> bool:
    """Metal from end to end: a cable, adapter or choke, unless something shorts it, and what is built to pass."""
    if not isinstance(part, TwoPort) or part.what == "block":
        return False
    return part.passes_dc or (part.what in ("cable", "adapter", "choke") and not part.dc_short)


def _is_harmed(part: Part, *, by_input: bool) -> bool:
    if isinstance(part, Antenna):
        return part.dc_short
    if isinstance(part, Transceiver):
        return True
    if isinstance(part, TwoPort):
        shorts = part.dc_short or (part.what == "transformer" and not part.passes_dc)
        live = part.what == "preamplifier" and part.need is None and not part.passes_dc
        return shorts or part.what in ("attenuator", "limiter") or (by_input and not _is_wire(part)) or live
    return by_input


def _shape(station: Station) -> str:
    return "; ".join(" > ".join(route.parts) for route in station.routes)
