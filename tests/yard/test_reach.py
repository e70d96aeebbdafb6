"""Reach and preference: against an independent judge on random yards, and by hand on the demo yard."""

from itertools import pairwise
from random import Random

import msgspec
import pytest

from random_yard import judged, random_yard
from yarddial.yard.antenna_gain import weaker_db
from yarddial.yard.bands import BANDS
from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_DISH, VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.editing import prefer_route
from yarddial.yard.frequency_conversion import SamplingClock, trace, trace_back
from yarddial.yard.parts import Antenna, Need
from yarddial.yard.plugs import SocketKey
from yarddial.yard.reach import HIGH_HZ, LOW_HZ, Reaches, best_route, choices, coverage, why_out_of_reach
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.shared_sockets import with_switching
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station


@pytest.mark.parametrize("seed", range(60))
def test_coverage_senses_and_arithmetic_agree_with_a_brute_force_judge(seed: int) -> None:
    station, chance = random_yard(seed), Random(seed)
    for route, line in zip(station.routes, station.resolved_routes(), strict=True):
        segments = coverage(line)
        assert (segments[0].low_hz, segments[-1].high_hz) == (LOW_HZ, HIGH_HZ)
        assert all(a.high_hz == b.low_hz for a, b in pairwise(segments))
        for _ in range(60):
            hertz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** chance.random()
            state, inverted, port_hz = judged(station, route, hertz)
            segment = next(s for s in segments if s.low_hz <= hertz <= s.high_hz)
            assert segment.state == state
            if state in ("reached", "weak"):
                assert segment.inverted == inverted
                here = line.at(hertz)
                assert here.points()[-1].out_hz == pytest.approx(port_hz, abs=1e-5)
                back = trace_back(hertz, here.stages, SamplingClock(chance.uniform(-50, 50), 12.0))
                again = trace(back.antenna_hz, here.stages, back.clock)
                largest = max(hertz, *(abs(f) for f in (again.port_hz, *again.out_hz)))
                assert again.dial_hz == pytest.approx(hertz, abs=1e-6 + 8 * largest * 2**-52)


@pytest.mark.parametrize("seed", range(20))
def test_reach_worked_out_once_is_reach_at_every_place_and_on_every_edge(seed: int) -> None:
    station, chance = random_yard(seed), Random(seed)
    reaches = Reaches(station)
    for index, line in enumerate(reaches.routes):
        edges = [edge for s in coverage(line) for edge in (s.low_hz - 1, s.low_hz, s.low_hz + 1)]
        for hertz in (*edges, *(LOW_HZ * (HIGH_HZ / LOW_HZ) ** chance.random() for _ in range(100))):
            assert reaches.state(index, hertz) == line.reach(hertz).state


def test_every_band_of_the_demo_yard_has_a_route_and_a_frequency_at_each_plate() -> None:
    station = demo_station()
    antennas = [part for part in station.parts if isinstance(part, Antenna)]
    # Between its antennas' ranges the demo yard has gaps: below 100 kHz, and from 1.3 to 10 GHz.
    served = [b for b in BANDS if any(a.low_hz <= b.low_hz and b.high_hz <= a.high_hz for a in antennas)]
    assert len(served) > 60
    for band in served:
        for hertz in (band.low_hz, band.high_hz):
            first = choices(station, hertz)[0]
            assert first.reach.is_reached, band
            route_points = first.route.at(hertz).points()
            assert len(route_points) == len(first.route.parts)
            assert all(route_point.out_hz >= 0 for route_point in route_points)


def test_routes_stand_in_the_order_that_their_reasons_tell() -> None:
    station = demo_station()
    order = choices(station, 10e6)
    assert [choice.route.name for choice in order] == [VIA_LADDER, VIA_HEARTH, HEARTH_IF, DIRECT, VIA_DISH]
    assert "your first choice" in order[0].reason
    assert "Hearth must be on" in order[2].reason
    assert "inverted" in order[2].reason
    assert "Finch tunes" in order[3].reason
    # Without a wish of the person's, the smaller uncertainty wins: 0.5 ppm of 10 MHz against 25 ppm of 130 MHz.
    plain = prefer_route(station, VIA_LADDER, False)
    by_program = with_switching(plain, SocketKey("Patch", "output"), "program")
    assert choices(by_program, 10e6)[0].route.name == VIA_HEARTH
    # But a route for which nobody has to move anything comes before it.
    assert choices(plain, 10e6)[0].route.name == VIA_LADDER
    assert choices(plain, 10e6)[1].reason.endswith("needs a hand")


def test_outside_its_range_an_antenna_is_weak_by_so_much_and_not_refused() -> None:
    yard = demo_station()
    wire, whip = yard.part("Long wire"), next(a for a in shelf() if a.name == "Short whip")
    assert isinstance(wire, Antenna)
    assert isinstance(whip, Antenna)
    # Ten decibels for each decade above 30 MHz and 1 GHz: 5.1 and 0.4 dB, known within 6 dB.
    for antenna, hertz, lost_db in ((wire, 98e6, 5.1), (whip, 1.09e9, 0.4)):
        weaker = weaker_db(antenna, hertz)
        assert weaker is not None
        assert (round(weaker.value, 1), weaker.sigma) == (lost_db, 6.0)
    route = ResolvedRoute("x", wire, (), yard.resolve(DIRECT).receiver, 98e6)
    assert route.reach(98e6).state == "weak"
    assert route.reach(451e6).state == "out"
    active = msgspec.structs.replace(route, antenna=msgspec.structs.replace(wire, need=Need(9.0, 13.8, 150.0, "line")))
    assert active.reach(98e6).state == "out"
    assert weaker_db(wire, 10e6) is None


def test_points_stay_while_the_route_serves_and_go_to_a_better_one_when_it_is_only_weak() -> None:
    station = msgspec.structs.replace(demo_station(), route=HEARTH_IF)
    assert best_route(station, 14e6) == HEARTH_IF
    assert best_route(station, 70e6) == DIRECT
    # Outside both antennas' ranges by about as much: the person's first choice decides.
    assert best_route(station, 50e6) == VIA_LADDER
    assert best_route(msgspec.structs.replace(station, route=DIRECT), 29e6) == VIA_LADDER
    assert best_route(station, 5e9) == HEARTH_IF
    assert "Saucer takes" in why_out_of_reach(station, 5e9)
    assert "no route yet" in why_out_of_reach(Station("new"), 5e6)
