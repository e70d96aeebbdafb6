"""Edits of a yard: each takes a station and returns the changed one. The desk checks and saves the result."""

from collections.abc import Iterable

import msgspec

from yarddial.yard.errors import BadStation
from yarddial.yard.parts import Antenna, Part, Receiver, Transceiver, converters_of
from yarddial.yard.parts.transceiver import Output
from yarddial.yard.shared_sockets import renamed
from yarddial.yard.station import Acknowledged, Route, Station, Tap

replace = msgspec.structs.replace


def unique_name(wanted: str, taken: Iterable[str]) -> str:
    """Return the wanted name, with the first free number appended if it is taken."""
    names = set(taken)
    if wanted not in names:
        return wanted
    number = 2
    while f"{wanted} {number}" in names:
        number += 1
    return f"{wanted} {number}"


def put_in(station: Station, part: Part, route_name: str, index: int | None = None) -> Station:
    """Insert a new part into a route: an antenna at its head, a receiver at its end, any other at `index`.

    An antenna or receiver replaces the one that was there; the old one stays in the yard. A yard without routes gets
    its first. A taken name gets a number.
    """
    part = replace(part, name=unique_name(part.name, (p.name for p in station.parts)))
    station = replace(station, parts=(*station.parts, part))
    return place(station, part.name, route_name, index)


def place(station: Station, part_name: str, route_name: str, index: int | None = None) -> Station:
    """Insert an existing part of the yard into a route; see `put_in`."""
    if not station.routes:
        station = new_route(station)
        route_name = station.route
    route, part = station.route_named(route_name), station.part(part_name)
    if part_name in route.parts:
        raise BadStation(f"route '{route.name}' runs over {part_name} already: put in a copy of it")
    names = list(route.parts)
    has_antenna = bool(names) and isinstance(station.part(names[0]), Antenna)
    has_receiver = bool(names) and isinstance(station.part(names[-1]), Receiver)
    if isinstance(part, Antenna):
        names[: int(has_antenna)] = [part_name]
    elif isinstance(part, Receiver):
        names[len(names) - int(has_receiver) :] = [part_name]
        route = replace(route, port=_free_port(station, part))
    else:
        low, high = int(has_antenna), len(names) - int(has_receiver)
        names.insert(high if index is None else min(max(index, low), high), part_name)
    return _named_by_itself(_with_route(station, route.name, replace(route, parts=tuple(names))), route.name)


def take_out(station: Station, part_name: str, route_name: str) -> Station:
    """Remove a part from a route; it stays in the yard even when no other route uses it."""
    route = station.route_named(route_name)
    if part_name not in route.parts:
        raise BadStation(f"route '{route.name}' does not run over {part_name}: choose the route first")
    names = tuple(name for name in route.parts if name != part_name)
    taps = tuple(tap for tap in route.taps if tap.name != part_name)
    port = "" if isinstance(station.part(part_name), Receiver) else route.port
    changed = _with_route(station, route.name, replace(route, parts=names, taps=taps, port=port))
    return _named_by_itself(changed, route.name)


def move(station: Station, part_name: str, route_name: str, step: int) -> Station:
    """Move a part along a route, towards the receiver for a positive step; the ends stay in place."""
    route = station.route_named(route_name)
    if part_name not in route.parts:
        raise BadStation(f"route '{route.name}' does not run over {part_name}: choose the route first")
    names, here = list(route.parts), route.parts.index(part_name)
    if isinstance(station.part(part_name), Antenna | Receiver):
        raise BadStation(f"{part_name} stands at the end of its route: only parts between the ends can be moved")
    low = int(isinstance(station.part(names[0]), Antenna))
    high = len(names) - 1 - int(isinstance(station.part(names[-1]), Receiver))
    there = min(max(here + step, low), high)
    names.insert(there, names.pop(here))
    return _with_route(station, route.name, replace(route, parts=tuple(names)))


def discard(station: Station, part_name: str) -> Station:
    """Remove a part from the yard and from every route."""
    for route in station.routes:
        if part_name in route.parts:
            station = take_out(station, part_name, route.name)
    return replace(station, parts=tuple(part for part in station.parts if part.name != part_name))


def copy_part(station: Station, part_name: str) -> tuple[Station, str]:
    """Copy a part, without adding it to a route, and return the copy's name."""
    part = station.part(part_name)
    name = unique_name(part.name, (p.name for p in station.parts))
    return replace(station, parts=(*station.parts, replace(part, name=name))), name


def rename_part(station: Station, old: str, new: str) -> Station:
    """Rename a part everywhere."""
    new = new.strip()
    if any(part.name == new for part in station.parts):
        raise BadStation(f"a part called '{new}' is there already: choose another name")
    parts = tuple(replace(part, name=new) if part.name == old else part for part in station.parts)
    routes = tuple(
        replace(
            route,
            parts=tuple(new if name == old else name for name in route.parts),
            taps=tuple(replace(tap, name=new) if tap.name == old else tap for tap in route.taps),
        )
        for route in station.routes
    )
    return renamed(replace(station, parts=parts, routes=routes), old, new)


def new_route(station: Station, like: str = "") -> Station:
    """Create a route, empty or with the parts of another, and make it the active one."""
    name = unique_name(like or "Route 1", (route.name for route in station.routes))
    if not like:
        name = unique_name(f"Route {len(station.routes) + 1}", (route.name for route in station.routes))
    begun = replace(station.route_named(like), name=name, preferred=False) if like else Route(name, ())
    return replace(station, routes=(*station.routes, begun), route=name)


def remove_route(station: Station, name: str) -> Station:
    """Remove a route; its parts stay in the yard."""
    routes = tuple(route for route in station.routes if route.name != name)
    active = station.route if station.route != name else (routes[0].name if routes else "")
    return replace(station, routes=routes, route=active)


def rename_route(station: Station, old: str, new: str) -> Station:
    """Rename a route."""
    new = new.strip()
    if any(route.name == new for route in station.routes):
        raise BadStation(f"a route called '{new}' is there already: choose another name")
    return _with_route(station, old, replace(station.route_named(old), name=new))


def prefer_route(station: Station, name: str, preferred: bool) -> Station:
    """Make a route the first choice wherever it reaches, or withdraw that."""
    return _with_route(station, name, replace(station.route_named(name), preferred=preferred))


def choose_port(station: Station, route_name: str, port: str) -> Station:
    """Connect a route to another port of its receiver."""
    return _with_route(station, route_name, replace(station.route_named(route_name), port=port))


def choose_tap(station: Station, route_name: str, part_name: str, output: Output) -> Station:
    """Connect a route to another output of a transceiver."""
    route = station.route_named(route_name)
    part = station.part(part_name)
    other_taps = tuple(tap for tap in route.taps if tap.name != part_name)
    default = isinstance(part, Transceiver) and part.tap == output
    taps = other_taps if default else (*other_taps, Tap(part_name, output))
    return _with_route(station, route_name, replace(route, taps=taps))


def acknowledge(station: Station, key: str, what: str, note: str, date: str) -> Station:
    """Record that the person has seen a finding, with their words. It is listed last from then on."""
    others = tuple(seen for seen in station.acknowledged if seen.key != key)
    return replace(station, acknowledged=(*others, Acknowledged(key, what, note.strip(), date)))


def take_back_acknowledgement(station: Station, key: str) -> Station:
    """Withdraw the acknowledgement of a finding."""
    return replace(station, acknowledged=tuple(seen for seen in station.acknowledged if seen.key != key))


def _with_route(station: Station, name: str, changed: Route) -> Station:
    routes = tuple(changed if route.name == name else route for route in station.routes)
    active = changed.name if station.route == name else station.route
    return replace(station, routes=routes, route=active)


def _free_port(station: Station, receiver: Receiver) -> str:
    """Return the first port that no route uses, or the first."""
    used = {route.port for route in station.routes if route.parts and route.parts[-1] == receiver.name}
    names = [port.name for port in receiver.ports]
    return next((name for name in names if name not in used), names[0] if names else "")


def _named_by_itself(station: Station, name: str) -> Station:
    """Name a finished route after its parts, such as 'Long wire over Ladder', unless it was named by hand."""
    route = station.route_named(name)
    if not (name.startswith("Route ") and name[6:].isdigit()) or station.resolve(name).missing:
        return station
    resolved = station.resolve(name)
    movers = [part.name for part in resolved.inner if converters_of(part)]
    wanted = f"{resolved.antenna.name} over {' and '.join(movers)}" if movers else f"{resolved.antenna.name} direct"
    better = unique_name(wanted, (r.name for r in station.routes))
    return _with_route(station, name, replace(route, name=better))
