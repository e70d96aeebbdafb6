"""Span speaks of what the receiver counts, and the picture of what the dial reads."""

import msgspec
import pytest

from yarddial.session.sampling.span_planner import SpanPlanner
from yarddial.session.station.desk import Desk
from yarddial.yard.demo import demo_station
from yarddial.yard.modes import MODES
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Route, Station


def desk(station: Station, dial_hz: float) -> Desk:
    made = Desk(station)
    made.dial(dial_hz)
    return made


@pytest.mark.parametrize("dial_hz", [7.1e6, 10e6, 145.2e6, 10.489e9])
def test_the_dial_lies_where_the_receiver_counts_it_whatever_is_entered(dial_hz: float) -> None:
    station = demo_station()
    finch = next(part for part in station.parts if isinstance(part, Receiver) and part.name == "Finch")
    here = desk(station.with_part(msgspec.structs.replace(finch, entered_ppm=27.1)), dial_hz)
    span_planner = SpanPlanner(here)
    answer = span_planner.answer(span_planner.bands()[0])
    assert answer is not None
    (middle_hz,) = (ch.middle_hz for ch in answer.request.channels if ch.name == "the dial")
    assert middle_hz == pytest.approx(here.route.counted_hz(dial_hz), abs=1e-4)
    assert answer.mapped.dial_hz(middle_hz) == pytest.approx(dial_hz, abs=1e-4)


def test_direct_sampling_in_the_second_zone_is_folded() -> None:
    """Finch's converter at 26 MHz: 20 MHz lies in zone 1 and is counted, inverted, at 26 - 20 MHz."""
    station = demo_station()
    route = Route("straight in", ("Long wire", "Patch", "Finch"), port="direct", preferred=True)
    here = desk(msgspec.structs.replace(station, routes=(route,)), 20e6)
    span_planner = SpanPlanner(here)
    answer = span_planner.answer(span_planner.bands()[-1])
    assert answer is not None
    assert here.route.counted_hz(20e6) == 6e6
    assert answer.mapped.sense == -1
    assert answer.mapped.dial_hz(6.1e6) == pytest.approx(19.9e6, abs=1e-6)
    assert answer.covers
    assert all(0 < cover.centre_hz < 13e6 for cover in answer.covers)


@pytest.mark.parametrize("mode", [mode.key for mode in MODES])
def test_every_mode_has_a_channel_to_cover(mode: str) -> None:
    here = desk(msgspec.structs.replace(demo_station(), mode=mode), 518e3)
    span_planner = SpanPlanner(here)
    answer = span_planner.answer(span_planner.bands()[0])
    assert answer is not None
    channel = next(channel for channel in answer.request.channels if channel.name == "the dial")
    assert channel.half_hz > 0
