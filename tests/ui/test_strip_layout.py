"""The strip's geometry: nothing overlaps, the active lane can always be read."""

import msgspec
import pytest

from yarddial.ui.yard_strip.layout import lay_out
from yarddial.yard.demo import demo_station
from yarddial.yard.parts import Antenna
from yarddial.yard.station import Route, Station, checked


def yard_with(extra: int, active: int) -> Station:
    shipped = demo_station()
    antennas = tuple(Antenna(f"Antenna {i}", 60e6, 500e6) for i in range(extra))
    routes = (*shipped.routes, *(Route(f"Route {i}", (a.name, "Finch")) for i, a in enumerate(antennas)))
    return checked(
        msgspec.structs.replace(
            shipped, parts=(*shipped.parts, *antennas), routes=routes, route=routes[active % len(routes)].name
        )
    )


@pytest.mark.parametrize("extra", [0, 1, 2, 4])
@pytest.mark.parametrize("active", [0, 1, 3])
@pytest.mark.parametrize("width", [560.0, 860.0, 1500.0])
def test_plates_do_not_overlap_and_the_active_lane_is_full(extra: int, active: int, width: float) -> None:
    station = yard_with(extra, active)
    layout = lay_out(station, width, 44.0, 134.0, 1.0)
    for i, one in enumerate(layout.plates):
        assert 0 <= one.x <= one.x + one.width <= width + 1e-6
        for other in layout.plates[:i]:
            apart_x = one.x >= other.x + other.width or other.x >= one.x + one.width
            apart_y = one.y >= other.y + other.height - 1e-6 or other.y >= one.y + one.height - 1e-6
            assert apart_x or apart_y, (one, other)
    for spot in layout.plates:
        if station.route in spot.routes:
            assert spot.height >= 28.0
    # One tall lane and four thin ones fit; routes beyond that are counted, not drawn, and never the active one.
    assert len(layout.tracks) == min(len(station.routes), 5)
    assert layout.hidden == len(station.routes) - len(layout.tracks)
    assert station.route in layout.tracks


def test_every_track_runs_from_left_to_right_into_its_receiver() -> None:
    station = yard_with(2, 0)
    layout = lay_out(station, 900.0, 44.0, 134.0, 1.0)
    for route in (route for route in station.routes if route.name in layout.tracks):
        corners = layout.tracks[route.name]
        receiver = next(spot for spot in layout.plates if spot.part == route.parts[-1])
        assert [x for x, _ in corners] == sorted(x for x, _ in corners)
        assert corners[-1] == (receiver.x + receiver.width, receiver.middle_y)
