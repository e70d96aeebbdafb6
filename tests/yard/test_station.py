"""Routes: what they reach, and what holds a station together."""

import msgspec
import pytest

from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.errors import BadStation
from yarddial.yard.oscillators import crystal_of, dial_state, known_oscillators, lo_of, stated_oscillators
from yarddial.yard.parts import Antenna, Converter, Socket, Value
from yarddial.yard.reach import reached_spans, reaching
from yarddial.yard.station import Route, checked


def test_the_demo_yard_holds_together_and_reaches_what_it_should() -> None:
    station = checked(demo_station())
    assert [line.name for line in reaching(station, 10e6)] == [VIA_LADDER, VIA_HEARTH, HEARTH_IF]
    assert [line.name for line in reaching(station, 145.2e6)] == [DIRECT]
    assert reaching(station, 5e9) == ()
    assert "hole" in station.resolve(DIRECT).why_not(1.12e9)
    assert "Ladder takes" in station.resolve(VIA_LADDER).why_not(145e6)


def test_a_high_side_converter_maps_its_reach_backwards() -> None:
    station = demo_station()
    ladder = station.part("Ladder")
    assert isinstance(ladder, Converter)
    high = station.with_part(msgspec.structs.replace(ladder, kind="high", lo_hz=Value(50e6, 500.0), entered_lo_hz=50e6))
    # Finch begins at 27 MHz, so L - f reaches it only for f up to 23 MHz.
    assert reached_spans(high.resolve(VIA_LADDER)) == ((0.1e6, 23e6),)


replace = msgspec.structs.replace


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"routes": (Route("x", ("Finch", "Long wire")),), "route": "x"}, "in its middle"),
        ({"routes": (Route("x", ("Long wire", "Patch", "Patch", "Finch")),), "route": "x"}, "twice"),
        ({"routes": (Route("x", ("Long wire", "Nobody", "Finch")),), "route": "x"}, "Nobody"),
        ({"route": "elsewhere"}, "elsewhere"),
        ({"parts": (*demo_station().parts, Antenna("Finch", 1e6, 2e6))}, "two parts"),
        ({"parts": (*demo_station().parts, Antenna("Loop", 2e6, 1e6))}, "must rise"),
        ({"parts": (*demo_station().parts, Antenna("Loop", 1e6, 2e6, output=Socket("N", ohms=0.0)))}, "10 000 Ω"),
        ({"dial_hz": -1.0}, "the dial stands at"),
        (
            {"parts": tuple(replace(p, park_share=0.6) if p.name == "Finch" else p for p in demo_station().parts)},
            "half",
        ),
    ],
)
def test_a_station_that_does_not_hold_together_is_refused(change: dict[str, object], words: str) -> None:
    with pytest.raises(BadStation, match=words):
        checked(msgspec.structs.replace(demo_station(), **change))


def test_a_measured_value_keeps_the_stated_one() -> None:
    stated = Value(120e6, 600.0, "stated", note="on the can")
    measured = stated.measured(120_000_412.0, 3.0, "2026-11-25", "fit").measured(
        120_000_415.0, 2.0, "2026-11-26", "fit"
    )
    assert measured.unmeasured() == stated
    assert measured.value == 120_000_415.0


def test_the_doubt_of_the_dial_is_carried_from_each_oscillator() -> None:
    """Independent arithmetic: 25 ppm of 130 MHz and 600 Hz, in quadrature."""
    station = demo_station()
    state = dial_state(station.resolve(VIA_LADDER), 10e6, stated_oscillators(station))
    assert state.sigma_hz == pytest.approx((3250.0**2 + 600.0**2) ** 0.5, rel=1e-9)
    assert dict(state.budget_hz) == pytest.approx({crystal_of("Finch"): 3250.0, lo_of("Ladder"): 600.0})
    direct = dial_state(station.resolve(DIRECT), 145.2e6, known_oscillators(station))
    assert direct.sigma_hz == pytest.approx(145.2 * 25)
    assert "C their covariance" in direct.working().as_text()
