"""Transmit power against the largest safe input of everything behind the transmitter's tap or beside it."""

from collections.abc import Iterator

from yarddial.analysis.audit.coupling import Coupling, coupling_of
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.analysis.audit.worst_power import SHARING_SHAPES, power_dbm, worst_reached
from yarddial.yard.mark import Mark
from yarddial.yard.parts import Antenna, Part, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.parts.electrical import can_burn
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Less margin than this deserves a look: isolations are typical values, antennas change.
LITTLE_DB = 10.0
_SAFETY_REASON = "check the tap's menu and measure before the first transmission; begin with the lowest power"
_DISTANCE_ADVICE = (
    "move it away, disconnect it while you transmit, or measure the loss between the two; begin with the lowest power"
)


def transmit(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Every transmitter against what hangs behind its outputs, on other ways of a switch, and on other antennas."""
    rigs: list[str] = []
    for route in routes:
        rig = route.transceiver
        if rig is None or not rig.transmit_w > 0:
            continue
        index = route.inner.index(rig)
        yield from _judge(rig, rig.isolation_db, "its output", (*route.inner[index + 1 :], route.receiver), route.port)
        for shared in route.inner[:index]:
            if isinstance(shared, TwoPort) and shared.what in SHARING_SHAPES:
                yield from _beside(rig, shared, routes)
        if rig.name not in rigs:
            rigs.append(rig.name)
            yield from _across(rig, route.antenna, routes)


def _beside(rig: Transceiver, shared: TwoPort, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    for other in routes:
        if shared not in other.inner or any(part.name == rig.name for part in other.inner):
            continue
        behind = (*other.inner[other.inner.index(shared) + 1 :], other.receiver)
        yield from _judge(rig, shared.isolation_db, shared.name, behind, other.port)


def _across(rig: Transceiver, sends: Antenna, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Find receivers on other antennas in the field of the transmitting one."""
    for other in routes:
        if other.antenna.name == sends.name or any(part.name == rig.name for part in other.inner):
            continue
        coupling = coupling_of(rig, sends, other.antenna)
        if coupling is not None:
            yield from _judge_across(rig, coupling, other)


def _judge_across(rig: Transceiver, coupling: Coupling, other: ResolvedRoute) -> Iterator[BenchFinding]:
    reached = worst_reached((*other.inner, other.receiver), other.port, power_dbm(rig) - coupling.loss_db)
    # Distance and loss are typed at the antenna.
    name, where = reached.part.name, other.antenna.name
    key = f"transmit:{rig.name}:{other.antenna.name}:{name}:{other.port if isinstance(reached.part, Receiver) else ''}"
    level = f"{reached.level_dbm:+.0f} dBm".replace("-", "−")
    what = f"{rig.name} puts {level} through the air by {other.antenna.name} into {name} ({coupling.words})"
    if reached.limit is None:
        yield BenchFinding(
            key,
            "stop",
            f"{what}, whose largest safe input nobody stated",
            f"find it first; {_DISTANCE_ADVICE}",
            name,
            True,
        )
    elif reached.margin_db < 0:
        mark: Mark = "stop" if coupling.is_known else "look"
        yield BenchFinding(key, mark, f"{what}: {-reached.margin_db:.0f} dB too much", _DISTANCE_ADVICE, where, True)
    elif reached.margin_db < LITTLE_DB:
        yield BenchFinding(
            key, "look", f"{what}: only {reached.margin_db:.0f} dB of margin", _DISTANCE_ADVICE, where, True
        )
    else:
        yield BenchFinding(key, "good", f"{what}: {reached.margin_db:.0f} dB of margin", _DISTANCE_ADVICE, where, True)


def _judge(
    rig: Transceiver, isolation_db: Value | None, through: str, behind: tuple[Part, ...], port: str
) -> Iterator[BenchFinding]:
    dbm = power_dbm(rig)
    if isolation_db is None:
        name = next(part for part in behind if can_burn(part)).name
        key = f"transmit:{rig.name}:{name}:{port if name == behind[-1].name else ''}"
        what = f"{rig.name} transmits {dbm:+.0f} dBm; how much of it passes {through} to {name} is not known"
        yield BenchFinding(key, "stop", what, f"find the isolation in dB first; {_SAFETY_REASON}", rig.name, True)
        return
    reached = worst_reached(behind, port, dbm - isolation_db.value)
    name = reached.part.name
    key = f"transmit:{rig.name}:{name}:{port if isinstance(reached.part, Receiver) else ''}"
    level = f"{reached.level_dbm:+.0f} dBm".replace("-", "−")
    if reached.limit is None:
        what = f"{rig.name} puts {level} into {name}, whose largest safe input nobody stated"
        yield BenchFinding(key, "stop", what, f"find it before transmitting; {_SAFETY_REASON}", name, True)
        return
    edge = f"limit {reached.limit.value:+.0f} dBm{', as usual for its kind' if reached.is_usual else ''}"
    what = f"{rig.name} puts {level} {{}}into {name} ({edge.replace('-', '−')})"
    margin_db = reached.margin_db
    if margin_db < 0:
        sentence = f"{what.format('')}: {-margin_db:.0f} dB too much"
        yield BenchFinding(key, "stop", sentence, f"never transmit like this; {_SAFETY_REASON}", name, True)
    elif margin_db < LITTLE_DB:
        sentence = f"{what.format('')}: only {margin_db:.0f} dB of margin"
        yield BenchFinding(key, "look", sentence, f"add {LITTLE_DB - margin_db:.0f} dB; {_SAFETY_REASON}", name, True)
    else:
        yield BenchFinding(
            key, "good", f"{what.format('at worst ')}: {margin_db:.0f} dB of margin", _SAFETY_REASON, name, True
        )
