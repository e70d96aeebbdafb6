"""Transmit power against the largest safe input of everything behind the transmitter's tap or beside it."""

from collections.abc import Iterator
from itertools import takewhile
from math import log10

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.line import Line
from yarddial.yard.parts import Part, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.parts.electrical import can_burn, largest_input_dbm, weakened_dbm
from yarddial.yard.station import Station

# Less margin than this deserves a look: isolations are typical values, antennas change.
LITTLE_DB = 10.0
_WHY = "check the tap's menu and measure before the first transmission; begin with the lowest power"


def transmit(station: Station, lines: tuple[Line, ...]) -> Iterator[BenchFinding]:
    """Every transmitter against what hangs behind its own outputs, and on the other ways of a switch or splitter."""
    for line in lines:
        rig = line.transceiver
        if rig is None or not rig.transmit_w > 0:
            continue
        index = line.inner.index(rig)
        yield from _judge(rig, rig.isolation_db, "its output", (*line.inner[index + 1 :], line.receiver), line.port)
        for shared in line.inner[:index]:
            if isinstance(shared, TwoPort) and shared.what in ("switch", "splitter"):
                yield from _beside(rig, shared, lines)


def _beside(rig: Transceiver, shared: TwoPort, lines: tuple[Line, ...]) -> Iterator[BenchFinding]:
    for other in lines:
        if shared not in other.inner or any(part.name == rig.name for part in other.inner):
            continue
        behind = (*other.inner[other.inner.index(shared) + 1 :], other.receiver)
        yield from _judge(rig, shared.isolation_db, shared.name, behind, other.port)


def _judge(
    rig: Transceiver, isolation_db: Value | None, through: str, behind: tuple[Part, ...], port: str
) -> Iterator[BenchFinding]:
    power_dbm = 10 * log10(rig.transmit_w * 1000)
    target = _first_at_risk(behind)
    name = target.name
    key = f"transmit:{rig.name}:{name}:{port if isinstance(target, Receiver) else ''}"
    if isolation_db is None:
        what = f"{rig.name} transmits {power_dbm:+.0f} dBm; how much of it passes {through} to {name} is not known"
        yield BenchFinding(key, "stop", what, f"find the isolation in dB first; {_WHY}", rig.name, True)
        return
    level_dbm = _level_dbm(power_dbm - isolation_db.value, behind)
    limit = largest_input_dbm(target, port)
    level = f"{level_dbm:+.0f} dBm".replace("-", "−")
    if limit is None:
        what = f"{rig.name} puts {level} onto {name}, whose largest safe input nobody stated"
        yield BenchFinding(key, "stop", what, f"find it before transmitting; {_WHY}", name, True)
        return
    margin_db = limit.value - level_dbm
    edge = f"limit {limit.value:+.0f} dBm".replace("-", "−")
    if margin_db < 0:
        what = f"{rig.name} puts {level} onto {name} ({edge}): {-margin_db:.0f} dB too much"
        yield BenchFinding(key, "stop", what, f"never transmit like this; {_WHY}", name, True)
    elif margin_db < LITTLE_DB:
        what = f"{rig.name} puts {level} onto {name} ({edge}): only {margin_db:.0f} dB of margin"
        yield BenchFinding(key, "look", what, f"add {LITTLE_DB - margin_db:.0f} dB; {_WHY}", name, True)
    else:
        what = f"{rig.name} puts {level} at worst onto {name} ({edge}): {margin_db:.0f} dB of margin"
        yield BenchFinding(key, "good", what, _WHY, name, True)


def _first_at_risk(behind: tuple[Part, ...]) -> Part:
    """The first part with something in it that can burn: an amplifier, a converter, another rig, the receiver."""
    return next(part for part in behind if can_burn(part))


def _level_dbm(level_dbm: float, behind: tuple[Part, ...]) -> float:
    """Level at the first part at risk. Only what weakens at every frequency is counted, so never a filter."""
    target = _first_at_risk(behind)
    for part in takewhile(lambda part: part is not target, behind):
        level_dbm = weakened_dbm(part, level_dbm)
    return level_dbm
