"""What a transmitter of the yard brings to the receiver at the end of a route, at worst, against what that bears."""

from collections.abc import Iterator
from math import log10

import msgspec

from yarddial.analysis.audit.coupling import coupling_of
from yarddial.yard.parts import Part, Transceiver, TwoPort, Value
from yarddial.yard.parts.electrical import can_burn, rating_dbm, weakened_dbm
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

SHARING_SHAPES = ("switch", "splitter", "relay", "diplexer")


class PowerReached(msgspec.Struct, frozen=True):
    """A part that transmit power reaches: input level in dBm and the level it tolerates, where known."""

    part: Part
    level_dbm: float
    limit: Value | None
    is_usual: bool

    @property
    def margin_db(self) -> float:
        """Positive where it bears more than comes."""
        return float("-inf") if self.limit is None else self.limit.value - self.level_dbm


class WorstPower(msgspec.Struct, frozen=True):
    """The worst of all ways from a transmitter to what can burn on a route.

    level_dbm, limit_dbm : None where nobody stated the isolation or the largest safe input.
    part : what would burn. path_words : how the power comes there.
    relay : one on the route, which may stick; empty for none.
    """

    rig: str
    route: str
    power_dbm: float
    path_words: str
    part: str
    level_dbm: float | None = None
    limit_dbm: float | None = None
    relay: str = ""

    @property
    def margin_db(self) -> float | None:
        """Positive where it bears more than comes; None where that is not known."""
        return None if self.level_dbm is None or self.limit_dbm is None else self.limit_dbm - self.level_dbm

    @property
    def is_safe(self) -> bool:
        """Whether the receiver may stand open while it transmits."""
        return self.margin_db is not None and self.margin_db >= 0 and not self.relay

    @property
    def words(self) -> str:
        """In one sentence without its end."""
        sent = f"{self.rig} transmits {_dbm(self.power_dbm)}"
        if self.level_dbm is None:
            return f"{sent}; how much of it comes {self.path_words} to {self.part} is not known"
        came = f"{sent}; at worst {_dbm(self.level_dbm)} of it come {self.path_words} to {self.part}"
        if self.limit_dbm is None:
            return f"{came}, whose largest safe input nobody stated"
        margin_db = self.limit_dbm - self.level_dbm
        over = f"{margin_db:.0f} dB of margin" if margin_db >= 0 else f"{-margin_db:.0f} dB too much"
        relay = f"; {self.relay} on the way may stick" if self.relay else ""
        return f"{came}, which takes {_dbm(self.limit_dbm)}: {over}{relay}"


def worst_power_of(station: Station, route: ResolvedRoute, rig: Transceiver) -> WorstPower | None:
    """The worst way from a transmitter into a route; None where nothing of it can come there, or it cannot transmit."""
    if not rig.transmit_w > 0 or route.missing:
        return None
    return min(_power_paths(station, route, rig), key=lambda power: (power.is_safe, _order(power)), default=None)


def _order(power: WorstPower) -> float:
    return float("-inf") if power.margin_db is None else power.margin_db


def _power_paths(station: Station, route: ResolvedRoute, rig: Transceiver) -> Iterator[WorstPower]:
    end = route.receiver
    inner = [part.name for part in route.inner]
    if rig.name in inner:
        index = inner.index(rig.name)
        relay = next((part.name for part in route.inner if isinstance(part, TwoPort) and part.what == "relay"), "")
        yield _worst_of(rig, route, rig.isolation_db, "through its output", (*route.inner[index + 1 :], end), relay)
        return
    for other in station.resolved_routes():
        if other.missing or rig.name not in (names := [part.name for part in other.inner]):
            continue
        shared = [part for part in other.inner[: names.index(rig.name)] if part.name in inner]
        for part in shared:
            if isinstance(part, TwoPort) and part.what in SHARING_SHAPES:
                behind = (*route.inner[inner.index(part.name) + 1 :], end)
                relay = part.name if part.what == "relay" else ""
                yield _worst_of(rig, route, part.isolation_db, f"past {part.name}", behind, relay)
        if other.antenna.name != route.antenna.name:
            coupling = coupling_of(rig, other.antenna, route.antenna)
            if coupling is not None:
                path_words = f"through the air by {route.antenna.name}"
                yield _worst_of(rig, route, Value(coupling.loss_db), path_words, (*route.inner, end), "")
        elif not shared:
            # One antenna on two routes, with nothing between that is known to part them.
            yield _worst_of(rig, route, None, f"by {route.antenna.name}, which both use,", (*route.inner, end), "")


def _worst_of(
    rig: Transceiver, route: ResolvedRoute, loss_db: Value | None, path_words: str, behind: tuple[Part, ...], relay: str
) -> WorstPower:
    dbm = power_dbm(rig)
    if loss_db is None:
        name = next(part for part in behind if can_burn(part)).name
        return WorstPower(rig.name, route.name, dbm, path_words, name, relay=relay)
    reached = worst_reached(behind, route.port, dbm - loss_db.value)
    limit_dbm = None if reached.limit is None else reached.limit.value
    return WorstPower(rig.name, route.name, dbm, path_words, reached.part.name, reached.level_dbm, limit_dbm, relay)


def power_dbm(rig: Transceiver) -> float:
    """What it transmits."""
    return 10 * log10(rig.transmit_w * 1000)


def worst_reached(behind: tuple[Part, ...], port: str, level_dbm: float) -> PowerReached:
    """The first part that is overrun, else the one with the least margin, up to the first that an input can burn in.

    Only what weakens at every frequency is counted, so never a filter.
    """
    reached: list[PowerReached] = []
    for part in behind:
        limit, is_usual = rating_dbm(part, port)
        here = PowerReached(part, level_dbm, limit, is_usual)
        if limit is not None or can_burn(part):
            reached.append(here)
        if can_burn(part) or here.margin_db < 0:
            break
        level_dbm = weakened_dbm(part, level_dbm)
    overrun = next(
        (reached_part for reached_part in reached if reached_part.limit is not None and reached_part.margin_db < 0),
        None,
    )
    return overrun or min(reached, key=lambda reached_part: reached_part.margin_db)


def _dbm(level_dbm: float) -> str:
    return f"{level_dbm:+.0f} dBm".replace("-", "−")
