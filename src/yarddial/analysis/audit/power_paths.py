"""Every path of transmit power in a yard, from each transmitter to what it can harm: one answer for all who ask.

Transmitters count whether or not a receiver is on their route, and whether or not the route is finished. Power goes
through the transmitter's own receive outputs, past shared switches, splitters and relays (a relay may stick: nothing of
its isolation is left then), and through the air from antenna to antenna. On the way amplifiers amplify up to their
saturated output.

Sources: ITU-R P.525 for the air (`coupling`); saturated outputs from makers' data sheets of gain blocks and mixers; a
stuck relay as IEC 61810-1 counts welded contacts among a relay's failures.
"""

from collections.abc import Iterator
from math import log10

import msgspec

from yarddial.analysis.audit.coupling import UNKNOWN_ANTENNA, Coupling, coupling_of
from yarddial.yard.parts import Antenna, Converter, Lnb, Part, Receiver, Transceiver, TwoPort, Value
from yarddial.yard.parts.electrical import can_burn, rating_dbm, weakened_dbm, worst_db
from yarddial.yard.station import Route, Station

SHARING_SHAPES = ("switch", "splitter", "relay", "diplexer")
# Saturated output of a small amplifier without a stated intercept (broad-band gain blocks: +20 to +28 dBm), and the
# maximum output of a converter.
SATURATED_DBM, CONVERTER_OUT_DBM = 28.0, 7.0
# Saturation relative to the output intercept: 1 dB compression is 9.6 dB below it, and 3 dB more until it is flat.
SATURATION_UNDER_OIP3_DB = 6.6


class PowerPath(msgspec.Struct, frozen=True):
    """One way of the power, up to the first part behind what separates transmitter and receiver.

    loss_db : from the transmitter to `behind[0]` at worst; None where nobody stated it.
    through : what it passes, in words. relay : one on the way that may stick; empty for none.
    behind : the parts from there to the receiver, in order; `port` is the receiver's.
    """

    rig: Transceiver
    route: str
    through: str
    loss_db: float | None
    behind: tuple[Part, ...]
    port: str
    relay: str = ""
    coupling: Coupling | None = None
    passed: tuple[str, ...] = ()

    @property
    def power_dbm(self) -> float:
        """Transmit power."""
        return 10 * log10(self.rig.transmit_w * 1000)


class PowerReached(msgspec.Struct, frozen=True):
    """A part that transmit power reaches: input level in dBm and the level it tolerates, where known.

    assumes : assumptions made on the way, one sentence each. path : names of the parts from the source to it.
    """

    part: Part
    level_dbm: float
    limit: Value | None
    is_usual: bool
    assumes: tuple[str, ...] = ()
    path: tuple[str, ...] = ()

    @property
    def margin_db(self) -> float:
        """Margin in dB; positive when the part tolerates more than arrives."""
        return float("-inf") if self.limit is None else self.limit.value - self.level_dbm


def transmitters(station: Station) -> tuple[Transceiver, ...]:
    """All parts of the yard that can transmit."""
    return tuple(part for part in station.parts if isinstance(part, Transceiver) and part.transmit_w > 0)


def transmit_lines(station: Station, rig: Transceiver) -> tuple[tuple[Part, ...], ...]:
    """Lines between a transmitter and its antennas, antenna first, without repeats; of unfinished routes too."""
    lines: dict[tuple[str, ...], tuple[Part, ...]] = {}
    for route in station.routes:
        if rig.name in route.parts:
            names = route.parts[: route.parts.index(rig.name)]
            lines[names] = tuple(station.part(name) for name in names)
    return tuple(lines.values())


def power_paths(station: Station, rig: Transceiver) -> Iterator[PowerPath]:
    """Yield every path of one transmitter's power to a part that it can harm."""
    lines = transmit_lines(station, rig)
    senders = {line[0].name: line[0] for line in lines if line and isinstance(line[0], Antenna)}
    for route in station.routes:
        parts = tuple(station.part(name) for name in route.parts)
        if not any(can_burn(part) and part.name != rig.name for part in parts):
            continue
        if rig.name in route.parts:
            yield from _own_output(station, rig, route, parts)
            continue
        yield from _shared(station, rig, route, parts)
        if not isinstance(parts[0], Antenna):
            continue
        if parts[0].name not in senders:
            for sends in senders.values() or (UNKNOWN_ANTENNA,):
                yield from _through_air(rig, sends, route, parts)
        elif not any(part in parts for line in lines for part in line[1:] if _separates(part)):
            # One antenna serves two routes, and nothing in between is known to separate them.
            yield PowerPath(
                rig, route.name, f"by {parts[0].name}, which both use,", None, parts[1:], route.port,
                passed=(rig.name, parts[0].name),
            )  # fmt: skip


def _separates(part: Part) -> bool:
    return isinstance(part, TwoPort) and part.what in SHARING_SHAPES


def _own_output(station: Station, rig: Transceiver, route: Route, parts: tuple[Part, ...]) -> Iterator[PowerPath]:
    index = route.parts.index(rig.name)
    behind = parts[index + 1 :]
    if not any(can_burn(part) for part in behind):
        return
    relay = next((part.name for part in parts if isinstance(part, TwoPort) and part.what == "relay"), "")
    loss_db = None if rig.isolation_db is None else worst_db(rig.isolation_db)
    yield PowerPath(rig, route.name, "its output", loss_db, behind, route.port, relay, passed=(rig.name,))


def _shared(station: Station, rig: Transceiver, route: Route, parts: tuple[Part, ...]) -> Iterator[PowerPath]:
    """Yield paths through a switch, splitter, diplexer or relay that the transmitter's line shares with this route."""
    for line in transmit_lines(station, rig):
        for part in line[1:]:
            if not isinstance(part, TwoPort) or part.name not in route.parts or not _separates(part):
                continue
            behind = parts[route.parts.index(part.name) + 1 :]
            if not any(can_burn(other) for other in behind):
                continue
            is_relay = part.what == "relay"
            isolation_db = None if part.isolation_db is None else worst_db(part.isolation_db)
            # A relay that sticks provides no isolation, whatever its data sheet says.
            loss_db = 0.0 if is_relay and isolation_db is not None else isolation_db
            yield PowerPath(
                rig, route.name, part.name, loss_db, behind, route.port, part.name if is_relay else "",
                passed=(rig.name, part.name),
            )  # fmt: skip


def _through_air(rig: Transceiver, sends: Antenna, route: Route, parts: tuple[Part, ...]) -> Iterator[PowerPath]:
    hears = parts[0]
    assert isinstance(hears, Antenna)
    coupling = coupling_of(rig, sends, hears)
    if coupling is None:
        return
    # The amplifier of an active antenna is the first part at risk.
    behind = parts if hears.need is not None else parts[1:]
    yield PowerPath(
        rig, route.name, f"through the air by {hears.name}", coupling.loss_db, behind, route.port, "", coupling,
        (rig.name, sends.name, hears.name),
    )  # fmt: skip


def worst_reached(path: PowerPath) -> PowerReached:
    """Return the first part on a path that is overloaded, else the one with the least margin.

    Only frequency-independent loss counts, so never a filter. An unknown loss counts as none.
    """
    level_dbm, assumes = path.power_dbm - (path.loss_db or 0.0), list(path.coupling.assumes if path.coupling else ())
    passed, every_part = list(path.passed), []
    for part in path.behind:
        limit, is_usual = rating_dbm(part, path.port)
        passed.append(part.name)
        here = PowerReached(part, level_dbm, limit, is_usual, tuple(assumes), tuple(passed))
        if limit is not None or can_burn(part):
            every_part.append(here)
        if isinstance(part, Receiver | Transceiver) or (limit is not None and here.margin_db < 0):
            break
        level_dbm, assumed = _level_behind(part, level_dbm)
        assumes += [assumed] if assumed else []
    overrun = next((reached for reached in every_part if reached.limit is not None and reached.margin_db < 0), None)
    return overrun or min(every_part, key=lambda reached: reached.margin_db)


def _level_behind(part: Part, level_dbm: float) -> tuple[float, str]:
    """Return the largest level after a part, and the assumption made for it."""
    match part:
        case TwoPort(what="preamplifier"):
            if part.iip3_dbm is not None:
                saturated_dbm = part.iip3_dbm.value + part.gain_db.value - SATURATION_UNDER_OIP3_DB
                return min(level_dbm + part.gain_db.value, saturated_dbm), ""
            out_dbm = min(level_dbm + part.gain_db.value, SATURATED_DBM)
            return out_dbm, f"{part.name} gives {SATURATED_DBM:+.0f} dBm at most" if out_dbm == SATURATED_DBM else ""
        case Converter() | Lnb():
            is_limited = level_dbm > CONVERTER_OUT_DBM
            assumed = f"{part.name} hands on {CONVERTER_OUT_DBM:+.0f} dBm at most" if is_limited else ""
            return min(level_dbm, CONVERTER_OUT_DBM), assumed
        case _:
            return weakened_dbm(part, level_dbm), ""
