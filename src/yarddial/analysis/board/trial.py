"""Try a part before it is bought: what a yard with it hears, band by band, against the yard as it is."""

from math import log10
from typing import Literal

import msgspec

from yarddial.analysis.levels.level_line import level_line
from yarddial.yard.bands import Band
from yarddial.yard.demodulation import demodulations_of, usual
from yarddial.yard.editing import new_route, put_in, unique_name
from yarddial.yard.external_noise import Outside
from yarddial.yard.parts import Antenna, Part, Receiver
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Route, Station

# A change of less than this is inaudible, and within what is assumed.
HEARD_DB = 1.0
Change = Literal["gained", "lost", "better", "worse"]


class BandHearing(msgspec.Struct, frozen=True):
    """The route that hears a band best, and by how much noise of its own raises the floor over what arrives, dB."""

    route: str
    deaf_db: float


class TrialRow(msgspec.Struct, frozen=True):
    """A band in which something changes; hearing is None where no route reaches it."""

    band: Band
    change: Change
    before: BandHearing | None
    after: BandHearing | None

    @property
    def better_db(self) -> float | None:
        """Signal over noise gained, dB; None where the band is reached on one side only."""
        return None if self.before is None or self.after is None else self.before.deaf_db - self.after.deaf_db


def with_part_instead(station: Station, old_name: str, part: Part) -> Station:
    """Return the station with a part in another's place on all its routes; the old one stays in the yard, unused.

    A route ends in the new receiver's first port where it lacks the old one's.
    """
    part = msgspec.structs.replace(part, name=unique_name(part.name, (other.name for other in station.parts)))
    ports = [port.name for port in part.ports] if isinstance(part, Receiver) else []
    routes = tuple(_exchanged(route, old_name, part.name, ports) for route in station.routes)
    return msgspec.structs.replace(station, parts=(*station.parts, part), routes=routes)


def _exchanged(route: Route, old_name: str, new_name: str, ports: list[str]) -> Route:
    """Route with one part's name exchanged; ports : of a new receiver."""
    if old_name not in route.parts:
        return route
    names = tuple(new_name if name == old_name else name for name in route.parts)
    port = ports[0] if ports and route.port not in ports else route.port
    taps = tuple(tap for tap in route.taps if tap.name != old_name)
    return msgspec.structs.replace(route, parts=names, port=port, taps=taps)


def with_part_added(station: Station, route_name: str, part: Part) -> Station:
    """Return the station with a part put into a route behind its antenna; an antenna or receiver makes a new route."""
    if not isinstance(part, Antenna | Receiver):
        return put_in(station, part, route_name, 1)
    beside = new_route(station, route_name)
    return msgspec.structs.replace(put_in(beside, part, beside.route), route=station.route)


def hearing(station: Station, band: Band, outside: Outside) -> BandHearing | None:
    """Route with the best signal over noise in the middle of a band; None where none reaches it."""
    heard = [
        BandHearing(route.name, _deaf_db(route.at(band.middle_hz), band, outside))
        for route in station.resolved_routes()
        if not route.missing and not route.why_not(band.middle_hz)
    ]
    return min(heard, key=lambda each: each.deaf_db, default=None)


def trial(before: Station, after: Station, outside: Outside) -> tuple[TrialRow, ...]:
    """Bands in which the second station hears otherwise than the first, in rising order."""
    rows: list[TrialRow] = []
    for band in before.bands:
        then, now = hearing(before, band, outside), hearing(after, band, outside)
        change = _change(then, now)
        if change is not None:
            rows.append(TrialRow(band, change, then, now))
    return tuple(rows)


def _change(then: BandHearing | None, now: BandHearing | None) -> Change | None:
    if then is None or now is None:
        return "gained" if now is not None else "lost" if then is not None else None
    better_db = then.deaf_db - now.deaf_db
    if abs(better_db) < HEARD_DB:
        return None
    return "better" if better_db > 0 else "worse"


def _deaf_db(route: ResolvedRoute, band: Band, outside: Outside) -> float:
    """Floor over the outside noise after the whole line, dB: 10 log10(1 + own / outside)."""
    demodulation = usual(demodulations_of(band.mode_key, band.middle_hz)[0], band.middle_hz)
    line = level_line(route, outside, demodulation.width_hz)
    return 10 * log10(1 + 10 ** (-line.over_db / 10))
