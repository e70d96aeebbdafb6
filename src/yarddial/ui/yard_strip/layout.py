"""Positions of plates, tracks and gaps. Pure geometry, no painting."""

import msgspec

from yarddial.yard.parts import Receiver
from yarddial.yard.station import Route, Station

# Design pixels: a lane with room for a plate of two lines, and the minimum of a thin lane.
FULL_LANE, FULL_PLATE, THIN_LANE, MIN_LANE = 47.0, 39.0, 11.0, 10.5
COLUMN_GAP, POINTS_WIDTH, WIDEST_PLATE = 22.0, 46.0, 178.0


class PlateSpot(msgspec.Struct, frozen=True):
    """A plate: the part, the routes through it, and its position."""

    part: str
    routes: tuple[str, ...]
    x: float
    y: float
    width: float
    height: float

    @property
    def middle_y(self) -> float:
        """Height of the track through the plate's middle."""
        return self.y + self.height / 2


class GapSpot(msgspec.Struct, frozen=True):
    """A position on the active route where a part can be inserted: its index, and the point on the track."""

    index: int
    after: str
    x: float
    y: float


class Layout(msgspec.Struct, frozen=True):
    """All plates, each route's track as corner points, and the gaps of the active one.

    hidden : number of routes without a lane for lack of room.
    """

    plates: tuple[PlateSpot, ...]
    tracks: dict[str, tuple[tuple[float, float], ...]]
    gaps: tuple[GapSpot, ...] = ()
    hidden: int = 0


def lay_out(station: Station, width: float, top: float, bottom: float, unit: float) -> Layout:
    """Lay the yard out: a lane for each route, the receivers in the column at the right.

    A route that begins with the same parts as one laid before it branches off behind the last of them. While all lanes
    have room they are alike; otherwise the active one keeps its height and the others are thin; where even that is
    not enough, only the active one and its neighbours are laid.

    Parameters
    ----------
    width, top, bottom : float
        The ground to use, pixels.
    unit : float
        Size of one design pixel.
    """
    count = len(station.routes)
    station = _fitting(station, int((bottom - top - FULL_LANE * unit) // (MIN_LANE * unit)) + 1)
    lanes = _lanes(station, top, bottom, unit)
    receivers = _receiver_names(station)
    inner = {route.name: _inner(route, receivers) for route in station.routes}
    columns = max([*(len(names) + (not _ends(route, receivers)) for route, names in _pairs(station, inner)), 1])
    plate = max((width - (COLUMN_GAP * columns + POINTS_WIDTH) * unit) / (columns + 1), 40 * unit)
    plate = min(plate, WIDEST_PLATE * unit)
    receiver_x, points = width - plate, POINTS_WIDTH * unit
    step = (receiver_x - points - plate) / max(columns - 1, 1)
    spots: dict[tuple[str, ...], PlateSpot] = {}
    ends = _receivers(station, receivers, lanes, receiver_x, plate)
    tracks: dict[str, tuple[tuple[float, float], ...]] = {}
    for route in sorted(station.routes, key=lambda route: route.name != station.route):
        middle, height = lanes[route.name]
        names, start = inner[route.name], None
        for column, part in enumerate(names):
            prefix = names[: column + 1]
            if prefix in spots:
                start = spots[prefix]
                spots[prefix] = msgspec.structs.replace(start, routes=(*start.routes, route.name))
            else:
                spots[prefix] = PlateSpot(part, (route.name,), column * step, middle - height / 2, plate, height)
        tracks[route.name] = _track(route, start, middle, plate, receiver_x, points, step, ends, unit)
    gaps = _gaps(station, inner.get(station.route, ()), spots, ends, lanes, unit)
    # Keep the order of the routes, whichever is active, so that existing plates can stay.
    prefixes = dict.fromkeys(names[: i + 1] for names in inner.values() for i in range(len(names)))
    return Layout((*(spots[prefix] for prefix in prefixes), *ends.values()), tracks, gaps, count - len(station.routes))


def _fitting(station: Station, highest: int) -> Station:
    """The station with no more routes than lanes: the active one and its neighbours."""
    if len(station.routes) <= highest:
        return station
    active = next(i for i, route in enumerate(station.routes) if route.name == station.route)
    first = min(max(active - highest // 2, 0), len(station.routes) - highest)
    return msgspec.structs.replace(station, routes=station.routes[first : first + highest])


def _track(
    route: Route,
    start: PlateSpot | None,
    middle: float,
    plate: float,
    receiver_x: float,
    points: float,
    step: float,
    ends: dict[str, PlateSpot],
    unit: float,
) -> tuple[tuple[float, float], ...]:
    """Track from its first plate, or its branching point, along its lane to its receiver or loose end."""
    corners: list[tuple[float, float]] = []
    if start is not None and abs(start.middle_y - middle) > 0.5:
        out = start.x + start.width
        bend = max(min(out + COLUMN_GAP * unit * 0.9, start.x + step), out + 2)
        corners = [(start.x + start.width / 2, start.middle_y), (out, start.middle_y), (bend, middle)]
    else:
        corners = [((start.x if start is not None else 0.0) + plate / 2, middle)]
    last = route.parts[-1] if route.parts else ""
    if last not in ends:
        return (*corners, ((len(route.parts) - 1) * step + plate + 14 * unit, middle))
    end = ends[last].middle_y
    bend, joint = receiver_x - points * 0.86, receiver_x - points * 0.34
    return (*corners, (max(bend, corners[-1][0]), middle), (joint, end), (receiver_x + plate, end))


def _gaps(
    station: Station,
    names: tuple[str, ...],
    spots: dict[tuple[str, ...], PlateSpot],
    ends: dict[str, PlateSpot],
    lanes: dict[str, tuple[float, float]],
    unit: float,
) -> tuple[GapSpot, ...]:
    """Gaps after every plate of the active route but the receiver; one at the head of an empty route."""
    if not station.routes:
        return ()
    active = station.route_named()
    if not active.parts:
        return (GapSpot(0, "", 12 * unit, lanes[active.name][0]),)
    gaps: list[GapSpot] = []
    laid = [spots[names[: i + 1]] for i in range(len(names))]
    for index, spot in enumerate(laid):
        right = spot.x + spot.width
        if index + 1 < len(laid):
            x = (right + laid[index + 1].x) / 2
        elif active.parts[-1] in ends:
            x = min(right + 11 * unit, ends[active.parts[-1]].x - 36 * unit)
        else:
            x = right + 18 * unit
        gaps.append(GapSpot(index + 1, spot.part, max(x, right + 4 * unit), spot.middle_y))
    if not names and active.parts[-1] in ends:
        end = ends[active.parts[-1]]
        gaps.append(GapSpot(0, "", end.x - 36 * unit, end.middle_y))
    return tuple(gaps)


def _pairs(station: Station, inner: dict[str, tuple[str, ...]]) -> list[tuple[Route, tuple[str, ...]]]:
    return [(route, inner[route.name]) for route in station.routes]


def _receiver_names(station: Station) -> frozenset[str]:
    return frozenset(part.name for part in station.parts if isinstance(part, Receiver))


def _ends(route: Route, receivers: frozenset[str]) -> bool:
    return bool(route.parts) and route.parts[-1] in receivers


def _inner(route: Route, receivers: frozenset[str]) -> tuple[str, ...]:
    return route.parts[:-1] if _ends(route, receivers) else route.parts


def _lanes(station: Station, top: float, bottom: float, unit: float) -> dict[str, tuple[float, float]]:
    """Middle and plate height of each route's lane."""
    count = max(len(station.routes), 1)
    room = bottom - top
    alike = room / count
    thin = (
        alike
        if alike >= 0.68 * FULL_LANE * unit
        else max((room - FULL_LANE * unit) / max(count - 1, 1), THIN_LANE * unit)
    )
    lanes: dict[str, tuple[float, float]] = {}
    y = top
    for route in station.routes:
        pitch = FULL_LANE * unit if thin != alike and route.name == station.route else min(thin, FULL_LANE * unit)
        lanes[route.name] = (y + pitch / 2, min(FULL_PLATE * unit, pitch * 0.88))
        y += pitch
    return lanes


def _receivers(
    station: Station, receivers: frozenset[str], lanes: dict[str, tuple[float, float]], x: float, plate: float
) -> dict[str, PlateSpot]:
    """Place each receiver in the middle of its lanes, level with the active one that ends in it, without overlaps."""
    plates: dict[str, PlateSpot] = {}
    crowded = len({height for _, height in lanes.values()}) > 1
    routes = [route for route in station.routes if _ends(route, receivers)]
    for part in dict.fromkeys(route.parts[-1] for route in routes):
        passing = tuple(route.name for route in routes if route.parts[-1] == part)
        height = max(lanes[name][1] for name in passing)
        middle = sum(lanes[name][0] for name in passing) / len(passing)
        if crowded:
            height = lanes[station.route][1] if station.route in passing else min(h for _, h in lanes.values())
            middle = lanes[station.route][0] if station.route in passing else middle
        plates[part] = PlateSpot(part, passing, x, middle - height / 2, plate, height)
    return _apart(plates, station.route)


def _apart(spots: dict[str, PlateSpot], active: str) -> dict[str, PlateSpot]:
    """Separate overlapping receivers; the active one stays."""
    order = sorted(spots.values(), key=lambda spot: spot.middle_y)
    fixed = next((i for i, spot in enumerate(order) if active in spot.routes), 0)
    for i in range(fixed + 1, len(order)):
        lowest_y = order[i - 1].y + order[i - 1].height
        order[i] = msgspec.structs.replace(order[i], y=max(order[i].y, lowest_y))
    for i in range(fixed - 1, -1, -1):
        highest = order[i + 1].y - order[i].height
        order[i] = msgspec.structs.replace(order[i], y=min(order[i].y, highest))
    placed = {spot.part: spot for spot in order}
    return {part: placed[part] for part in spots}
