"""Worst-case power from a transmitter at the receiver of a route, against what it tolerates.

Source: the paths of `power_paths`.
"""

import msgspec

from yarddial.analysis.audit.power_paths import PowerPath, power_paths, worst_reached
from yarddial.yard.parts import Transceiver
from yarddial.yard.parts.electrical import can_burn
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station


class WorstPower(msgspec.Struct, frozen=True):
    """The worst of all paths from a transmitter to a part of a route that it can burn.

    level_dbm, limit_dbm : None where isolation or maximum safe input are not stated.
    part : the part at risk. path_words : description of the path.
    relay : a relay on the path that may stick; empty for none.
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
        """Margin in dB, positive when the part tolerates more than arrives; None where unknown."""
        return None if self.level_dbm is None or self.limit_dbm is None else self.limit_dbm - self.level_dbm

    @property
    def is_safe(self) -> bool:
        """Return True when the receiver may stay connected during transmission."""
        return self.margin_db is not None and self.margin_db >= 0 and not self.relay

    @property
    def words(self) -> str:
        """Description in one sentence without its full stop."""
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
    """Return the worst path from a transmitter into a route; None without one, or when it cannot transmit."""
    if not rig.transmit_w > 0 or route.missing:
        return None
    rig = next((part for part in station.parts if isinstance(part, Transceiver) and part.name == rig.name), rig)
    into = (_worst_of(path) for path in power_paths(station, rig) if path.route == route.name)
    return min(into, key=lambda power: (power.is_safe, _order(power)), default=None)


def _order(power: WorstPower) -> float:
    return float("-inf") if power.margin_db is None else power.margin_db


def _worst_of(path: PowerPath) -> WorstPower:
    words = {"its output": "through its output"}.get(path.through, path.through)
    words = words if " " in words else f"past {words}"
    if path.loss_db is None:
        name = next(part for part in path.behind if can_burn(part)).name
        return WorstPower(path.rig.name, path.route, path.power_dbm, words, name, relay=path.relay)
    reached = worst_reached(path)
    limit_dbm = None if reached.limit is None else reached.limit.value
    return WorstPower(
        path.rig.name, path.route, path.power_dbm, words, reached.part.name, reached.level_dbm, limit_dbm, path.relay
    )


def _dbm(level_dbm: float) -> str:
    return f"{level_dbm:+.0f} dBm".replace("-", "−")
