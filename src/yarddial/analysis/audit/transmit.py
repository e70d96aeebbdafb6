"""Transmit power against the largest safe input of everything it reaches, and against the ratings of its own line.

Sources: stated ratings; usual ones at the lower end of makers' data sheets (`yard.parts.electrical`); 10 dB of margin
as measurement practice for isolations that are typical values.
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.analysis.audit.isolation import USUAL_ISOLATION_DB
from yarddial.analysis.audit.power_paths import (
    PowerPath,
    PowerReached,
    power_paths,
    transmit_lines,
    transmitters,
    worst_reached,
)
from yarddial.yard.mark import Mark
from yarddial.yard.parts import Antenna, Converter, Isolator, Lnb, Part, Receiver, Transceiver, TwoPort
from yarddial.yard.parts.electrical import can_burn, rating_dbm, weakened_dbm
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Report a margin below this: isolations are typical values, and antennas change.
LITTLE_DB = 10.0
# Exceeding a usual rating by less than this is a look; exceeding a stated one is a stop.
USUAL_OVER_DB = 3.0
_SAFETY_REASON = "check the tap's menu and measure before the first transmission; begin with the lowest power"
_DISTANCE_ADVICE = (
    "move it away, disconnect it while you transmit, or measure the loss between the two; begin with the lowest power"
)
_RELAY_ADVICE = "a relay can stick: put a limiter behind it, or take the receiver's plug out while you transmit"


def transmit(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check every path of every transmitter's power, unfinished routes included, and the ratings of its own line."""
    for rig in transmitters(station):
        for path in power_paths(station, rig):
            yield _judged(path)
        for line in transmit_lines(station, rig):
            yield from _ratings(rig, line)


def _judged(path: PowerPath) -> BenchFinding:
    rig, coupling = path.rig.name, path.coupling
    if path.loss_db is None:
        name = next(part for part in path.behind if can_burn(part)).name
        key = f"transmit:{rig}:{name}:{path.port if name == path.behind[-1].name else ''}"
        through = path.through if path.through.startswith("by ") else f"passes {path.through}"
        what = f"{rig} transmits {_dbm(path.power_dbm)}; how much of it {through} to {name} is not known"
        usual_db = USUAL_ISOLATION_DB[path.rig.tap]
        usual = f"; such outputs keep {usual_db:.0f} dB away at least, as a rule, which is no knowledge of yours"
        why = f"measure the isolation first (Menu, Receiver){usual if path.through == 'its output' else ''}"
        return BenchFinding(key, "stop", what, f"{why}; {_SAFETY_REASON}", rig, True, path=(*path.passed, name))
    reached = worst_reached(path)
    name = reached.part.name
    port = path.port if isinstance(reached.part, Receiver) else ""
    key = f"transmit:{rig}:{path.behind[0].name if coupling is None else path.passed[-1]}:{name}:{port}"
    key = f"transmit:{rig}:{name}:{port}" if coupling is None else key
    advice = _SAFETY_REASON if coupling is None else _DISTANCE_ADVICE
    place = name if coupling is None else path.passed[-1]
    if path.relay and (reached.limit is None or reached.margin_db < LITTLE_DB or coupling is None):
        return _with_relay(path, reached, key)
    level = _dbm(reached.level_dbm)
    how = "" if coupling is None else f"{path.through} "
    words = "" if coupling is None else f" ({coupling.words})"
    if reached.limit is None:
        what = f"{rig} puts {level} {how}into {name}{words}, whose largest safe input nobody stated"
        return _finding(key, "stop", what, f"find it before transmitting; {advice}", name, reached)
    edge = f" (limit {_dbm(reached.limit.value)}{', as usual for its kind' if reached.is_usual else ''})"
    margin_db = reached.margin_db
    worst = "at worst " if margin_db >= LITTLE_DB and coupling is None else ""
    what = f"{rig} puts {level} {worst}{how}into {name}{words or edge}"
    if margin_db < 0:
        mark: Mark = "stop" if coupling is None or coupling.is_known else "look"
        why = f"never transmit like this; {advice}" if coupling is None else advice
        return _finding(key, mark, f"{what}: {-margin_db:.0f} dB too much", why, place, reached)
    if margin_db < LITTLE_DB:
        why = f"add {LITTLE_DB - margin_db:.0f} dB; {advice}" if coupling is None else advice
        return _finding(key, "look", f"{what}: only {margin_db:.0f} dB of margin", why, place, reached)
    return _finding(key, "good", f"{what}: {margin_db:.0f} dB of margin", advice, place, reached)


def _with_relay(path: PowerPath, reached: PowerReached, key: str) -> BenchFinding:
    """Report a relay on the path: the level that arrives when it sticks is what counts."""
    what = f"{path.rig.name} puts {_dbm(reached.level_dbm)} into {reached.part.name} if {path.relay} sticks"
    if path.through == "its output":
        what = f"{path.relay} on the way from {path.rig.name} to {reached.part.name} may stick"
    return _finding(key, "stop", what, _RELAY_ADVICE, path.relay, reached)


def _finding(key: str, mark: Mark, what: str, why: str, part: str, reached: PowerReached) -> BenchFinding:
    margin_db = None if reached.limit is None else reached.margin_db
    return BenchFinding(
        key, mark, what, why, part, True, margin_db=margin_db, path=reached.path, assumes=reached.assumes
    )


def _ratings(rig: Transceiver, line: tuple[Part, ...]) -> Iterator[BenchFinding]:
    """Check every part between transmitter and antenna against its rating, from the transmitter outwards."""
    level_dbm = PowerPath(rig, "", "", 0.0, (), "").power_dbm
    passed = [rig.name]
    for part in reversed(line):
        passed.append(part.name)
        key = f"rating:{rig.name}:{part.name}"
        watts = f"{10 ** ((level_dbm - 30) / 10):.3g} W"
        match part:
            case Antenna() if part.need is not None:
                what = f"{rig.name} puts {watts} into {part.name}'s own amplifier"
                yield _rated(key, "stop", what, "an active antenna only receives: transmit on another one", passed)
            case TwoPort(what="preamplifier") | Converter() | Lnb() | Isolator():
                what = f"{rig.name} puts {watts} backwards into {part.name}"
                why = "take it out of the transmitting line, or put it on the receiving side of the relay"
                yield _rated(key, "stop", what, why, passed)
            case TwoPort():
                limit, is_usual = rating_dbm(part, "")
                over_db = level_dbm - limit.value if limit is not None else 0.0
                if limit is not None and over_db > 0.05:
                    rated = f"{10 ** ((limit.value - 30) / 10):.3g} W{', as usual for its kind' if is_usual else ''}"
                    mark: Mark = "look" if is_usual and over_db < USUAL_OVER_DB else "stop"
                    what = f"{rig.name} puts {watts} through {part.name}, rated for {rated}"
                    yield _rated(
                        key, mark, what, "lower the power, or put in a part that is rated for it", passed, -over_db
                    )
            case _:
                pass
        level_dbm = weakened_dbm(part, level_dbm)


def _rated(
    key: str, mark: Mark, what: str, why: str, passed: list[str], margin_db: float | None = None
) -> BenchFinding:
    return BenchFinding(key, mark, what, why, passed[-1], True, margin_db=margin_db, path=tuple(passed))


def _dbm(level_dbm: float) -> str:
    return f"{level_dbm:+.0f} dBm".replace("-", "−")
