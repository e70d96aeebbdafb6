"""5,000 random yards with one to three transmitters against a walk in watts that enumerates every path.

The walk (truth/transmit_walk.py) knows boxes and sockets alone. A yard is built twice from the same draw: as parts and
routes for the program, as boxes for the walk. Unsafe is a receiver or converter that burns by the walk while the
program says "good" of it, or nothing; a stop that is none is a stop where no path of the walk harms anything.
"""

import random
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "truth"))

import transmit_walk as walk
from yarddial.analysis.audit.check import check_yard
from yarddial.yard.parts import Antenna, Part, Port, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.station import Route, Station

YARDS = 5_000
LIGHT_M_S, LOWEST_HZ = 299_792_458.0, 1.8e6
DIRECTIVITIES_DBI = {"dipole": 2.2, "wire": 6.0, "whip": 2.2, "beam": 18.0}
PI = 3.141592653589793


def prove() -> bool:
    """Print the counts; True when nothing unsafe is called good, and stops that are none are rare."""
    unsafe = stops = needless = harmed_count = 0
    for seed in range(YARDS):
        station, shack, sources = random_yard(random.Random(seed))
        burns: set[str] = set()
        for begins, watts in sources:
            burns |= {socket.removesuffix(" in") for socket in walk.harmed(shack, begins, watts)}
        findings = [f for f in check_yard(station) if f.key.startswith("transmit:")]
        # Whatever is overrun stands for what lies behind it: the program names the first.
        warned = {name for f in findings if f.mark in ("stop", "look") for name in (f.path or (f.part,))}
        missed = {name for name in burns if name not in warned and not behind_warned(station, name, findings)}
        harmed_count += len(burns)
        if missed:
            unsafe += 1
            if unsafe <= 5:
                print(f"yard {seed}: {sorted(missed)} burn, told {[(f.mark, f.what) for f in findings]}")
        for finding in findings:
            if finding.mark == "stop":
                stops += 1
                if not burns & set(finding.path) and "not known" not in finding.what and "nobody" not in finding.what:
                    needless += 1
                    if needless <= 5:
                        print(f"yard {seed}: needless stop {finding.what}")
    share = needless / max(stops, 1)
    print(
        f"{YARDS} yards, {harmed_count} sockets harmed by the walk: {unsafe} yards with one called good or not named; "
        f"{stops} stops, {needless} of them none ({share:.1%})"
    )
    return unsafe == 0 and share < 0.05 and harmed_count > YARDS / 10


def behind_warned(station: Station, name: str, findings: list) -> bool:  # type: ignore[type-arg]
    """True where a part before it on its route is named as overrun: what stands behind is not reached whole."""
    for route in station.routes:
        if name not in route.parts:
            continue
        for part in route.parts[: route.parts.index(name)]:
            if any(f.mark in ("stop", "look") and f.path and f.path[-1] == part for f in findings):
                return True
    return False


def random_yard(chance: random.Random) -> tuple[Station, walk.Shack, list[tuple[str, float]]]:
    shack, parts, routes = walk.Shack(), {}, []
    sources: list[tuple[str, float]] = []
    aerials: list[tuple[Antenna, str]] = []
    for number in range(chance.randint(1, 3)):
        watts = chance.choice((0.5, 5.0, 50.0, 100.0, 400.0))
        isolation_db = chance.choice((30.0, 45.0, 60.0, 80.0))
        rig = Transceiver(f"Rig{number}", "antenna", LOWEST_HZ, 3e7, transmit_w=watts, isolation_db=Value(isolation_db))
        aerial = _aerial(chance, f"Mast{number}")
        parts[rig.name], parts[aerial.name] = rig, aerial
        aerials.append((aerial, rig.name))
        sources.append((f"{rig.name} sends", watts))
        fork = _fork(chance, f"Fork{number}") if chance.random() < 0.5 else None
        front: list[Part] = [aerial, *([fork] if fork else [])]
        shack.join(f"{rig.name} sends", f"{aerial.name} air", walk.loss(0.0), "line")
        if fork is not None:
            parts[fork.name] = fork
            chain = _chain(chance, f"S{number}")
            _lay(shack, parts, chain)
            isolation = fork.isolation_db
            assert isolation is not None
            # A relay sticks: then all of it goes on.
            passes_db = 0.0 if fork.what == "relay" else isolation.value
            shack.join(f"{rig.name} sends", f"{chain[0].name} in", walk.loss(passes_db), fork.name)
            routes.append(Route(f"shared{number}", tuple(p.name for p in (*front, *chain))))
        if chance.random() < 0.5:
            chain = _chain(chance, f"O{number}")
            _lay(shack, parts, chain)
            shack.join(f"{rig.name} sends", f"{chain[0].name} in", walk.loss(isolation_db), rig.name)
            routes.append(Route(f"own{number}", tuple(p.name for p in (*front, rig, *chain))))
        else:
            routes.append(Route(f"own{number}", tuple(p.name for p in (*front, rig))))
    for number in range(chance.randint(0, 2)):
        aerial, chain = _aerial(chance, f"Ear{number}"), _chain(chance, f"A{number}")
        parts[aerial.name] = aerial
        _lay(shack, parts, chain)
        routes.append(Route(f"apart{number}", (aerial.name, *(p.name for p in chain))))
        aerials.append((aerial, ""))
        shack.join(f"{aerial.name} heard", f"{chain[0].name} in", walk.loss(0.0), "line")
    for sends, rig_name in aerials:
        for hears, other in aerials:
            if rig_name and hears is not sends:
                shack.join(f"{sends.name} air", f"{hears.name} heard", walk.loss(_air_db(sends, hears)), "air")
                for route in routes:
                    # What is heard goes down every line of that aerial.
                    if other and route.parts[0] == hears.name and len(route.parts) > 2:
                        first = route.parts[1]
                        target = route.parts[2] if first.startswith("Fork") else first
                        if target.startswith("Rig"):
                            continue
                        shack.join(f"{hears.name} heard", f"{target} in", walk.loss(0.0), "line")
    station = Station("w", tuple(parts.values()), tuple(routes), route=routes[0].name)
    return station, shack, sources


def _air_db(sends: Antenna, hears: Antenna) -> float:
    """Friis at the lowest band; in the near field a tenth passes."""
    metres = hears.apart_m or 10.0
    gains = DIRECTIVITIES_DBI[sends.kind] + DIRECTIVITIES_DBI[hears.kind]
    share = 10 ** (gains / 10) * (LIGHT_M_S / LOWEST_HZ / (4 * PI * metres)) ** 2
    from math import log10

    return -10 * log10(min(share, 0.1))


def _aerial(chance: random.Random, name: str) -> Antenna:
    kind = chance.choice(tuple(DIRECTIVITIES_DBI))
    return Antenna(name, 1e5, 3e7, kind=kind, apart_m=chance.choice((5.0, 30.0, 300.0, 3_000.0)))  # type: ignore[arg-type]


def _fork(chance: random.Random, name: str) -> TwoPort:
    what = chance.choice(("switch", "splitter", "relay", "diplexer"))
    isolation = Value(chance.choice((20.0, 40.0, 60.0, 80.0)))
    return TwoPort(name, what, Value(-0.3), isolation_db=isolation, largest_dbm=Value(70.0))  # type: ignore[arg-type]


def _chain(chance: random.Random, name: str) -> list[Part]:
    """Up to two parts and a receiver."""
    chain: list[Part] = []
    for number in range(chance.randint(0, 2)):
        limit = Value(chance.choice((20.0, 30.0, 40.0)))
        match chance.randrange(3):
            case 0:
                pad_db = chance.choice((6.0, 20.0))
                chain.append(TwoPort(f"{name}pad{number}", "attenuator", Value(-pad_db), largest_dbm=limit))
            case 1:
                gain, iip3 = Value(chance.choice((10.0, 20.0, 30.0))), chance.choice((None, -5.0, 10.0))
                chain.append(
                    TwoPort(
                        f"{name}amp{number}", "preamplifier", gain, largest_dbm=limit,
                        iip3_dbm=None if iip3 is None else Value(iip3),
                    )
                )  # fmt: skip
            case _:
                chain.append(TwoPort(f"{name}limiter{number}", "limiter", Value(-0.3), largest_dbm=limit))
    socket = Port("", largest_dbm=Value(chance.choice((5.0, 10.0, 20.0, 30.0))))
    chain.append(Receiver(f"{name}rx", 1e5, 2e9, 28.8e6, Value(0.0, 1.0), 0.0, (2e6,), 2e6, 8, ports=(socket,)))
    return chain


def _lay(shack: walk.Shack, parts: dict[str, Part], chain: list[Part]) -> None:
    """The chain as boxes: what each socket takes, and what becomes of the power behind it."""
    for part, after in zip(chain, [*chain[1:], None], strict=True):
        parts[part.name] = part
        if isinstance(part, Receiver):
            limit = part.ports[0].largest_dbm
        else:
            assert isinstance(part, TwoPort)
            limit = part.largest_dbm
        assert limit is not None
        shack.takes_w[f"{part.name} in"] = 10 ** ((limit.value - 30) / 10)
        if after is None or not isinstance(part, TwoPort):
            continue
        if part.what == "attenuator":
            becomes = walk.loss(-part.gain_db.value)
        elif part.what == "limiter":
            becomes = walk.at_most(0.01)
        else:
            out_dbm = 28.0 if part.iip3_dbm is None else part.iip3_dbm.value + part.gain_db.value - 6.6
            becomes = walk.amplifier(part.gain_db.value, 10 ** ((out_dbm - 30) / 10))
        shack.join(f"{part.name} in", f"{after.name} in", becomes, part.name)
