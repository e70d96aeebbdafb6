"""Answers to "What have you got?" become the yard that they describe."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.session.first_yard.answers import BoxAnswers, Leaflet
from yarddial.session.first_yard.building import built, leaflet_los_hz, transmit_w
from yarddial.session.first_yard.questions import antennas, asked, converters, from_shelf, receivers
from yarddial.session.first_yard.summary import summary_of
from yarddial.yard.errors import BadFrequency, BadStation
from yarddial.yard.parts import Converter, Receiver, Transceiver
from yarddial.yard.shared_sockets import moves_for, shared_sockets
from yarddial.yard.station import Station, checked

UP, STICK = "Up-converter 125", "TV-stick receiver"
NAMES = [antenna.name for antenna in antennas()]


def receiver(name: str = STICK) -> Receiver:
    """Receiver of a class of the shelf."""
    return next(part for part in receivers() if part.name == name)


def chains(answers: BoxAnswers) -> list[tuple[str, ...]]:
    """Parts of each route of a yard of its own."""
    return [route.parts for route in checked(built(Station("Y"), answers)).routes]


def test_a_stick_with_its_whip() -> None:
    assert chains(BoxAnswers(receiver=receiver(), antennas=("Short whip",))) == [("Short whip", STICK)]


def test_a_wire_over_a_converter_and_a_whip_share_the_socket_by_hand() -> None:
    answers = BoxAnswers(
        receiver=receiver(), antennas=("End-fed wire", "Short whip"), between=("Unun 9:1",), converter=UP,
        feeders=("wall plug",),
    )  # fmt: skip
    assert chains(answers) == [("End-fed wire", "Unun 9:1", UP, STICK), ("Short whip", STICK)]
    station = built(Station("Y"), answers)
    assert [shared.by for shared in shared_sockets(station)] == ["hand"]
    assert all(moves_for(station, route.name) for route in station.routes)
    converter = station.part(UP)
    assert isinstance(converter, Converter)
    assert converter.need is not None
    assert converter.need.lead is not None
    assert (converter.need.lead.source, converter.need.lead.volts) == ("wall plug", 5.0)


def test_a_switch_stands_before_the_receiver_and_own_sockets_are_taken_in_turn() -> None:
    two = BoxAnswers(receiver=receiver("Wide-band receiver"), antennas=("HF vertical", "Wide-band discone"))
    by_switch = msgspec.structs.replace(two, joining="switch")
    assert chains(by_switch) == [(name, "Antenna switch", "Wide-band receiver") for name in two.antennas]
    by_sockets = built(Station("Y"), msgspec.structs.replace(two, joining="sockets"))
    assert [route.port for route in by_sockets.routes] == ["A", "B"]
    assert not any(moves_for(by_sockets, route.name) for route in by_sockets.routes)


def test_a_wire_without_a_converter_takes_the_direct_input() -> None:
    station = built(Station("Y"), BoxAnswers(receiver=receiver(), antennas=("End-fed wire", "Short whip")))
    assert [route.port for route in station.routes] == ["direct", "antenna"]


@pytest.mark.parametrize("tap", ["if", "antenna"])
def test_a_transceivers_tap_carries_short_wave_only(tap: str) -> None:
    answers = BoxAnswers(
        receiver=receiver("HF sampling receiver"), antennas=("HF vertical", "Wide-band discone"),
        transmitting=tap, transmit_power="50",  # type: ignore[arg-type]
    )  # fmt: skip
    station = built(Station("Y"), answers)
    assert [len(route.parts) for route in station.routes] == [3, 2]
    rig = station.part("HF transceiver")
    assert isinstance(rig, Transceiver)
    assert (rig.tap, rig.transmit_w) == (tap, 50.0)


def test_a_transmitter_beside_is_in_the_yard_and_bench_counts_it() -> None:
    answers = BoxAnswers(receiver=receiver(), antennas=("Short whip",), transmitting="beside", transmit_power="1 kW")
    station = checked(built(Station("Y"), answers))
    assert ("Transmitting antenna", "HF transceiver") in [route.parts for route in station.routes]
    assert station.route_named(station.route).parts[-1] == STICK
    assert any(mark in ("stop", "look") for mark, _ in summary_of(station, answers).findings)


@given(lo_mhz=st.integers(20, 900), heard_mhz=st.integers(1, 15))
@pytest.mark.parametrize(
    ("name", "out"), [(UP, lambda f, lo: f + lo), ("Inverting converter 200", lambda f, lo: lo - f)]
)
def test_either_leaflet_value_gives_the_oscillator(name: str, out: object, lo_mhz: int, heard_mhz: int) -> None:
    pair = Leaflet(heard=f"{heard_mhz} MHz", comes_out=f"{out(heard_mhz, lo_mhz)} MHz")  # type: ignore[operator]
    for leaflet in (Leaflet(lo=f"{lo_mhz} MHz"), pair, msgspec.structs.replace(pair, lo=f"{lo_mhz} MHz")):
        answers = BoxAnswers(receiver=receiver(), antennas=("End-fed wire",), converter=name, leaflet=leaflet)
        assert leaflet_los_hz(answers) == pytest.approx((lo_mhz * 1e6,))


@pytest.mark.parametrize(
    ("leaflet", "kind"),
    [
        (Leaflet(lo="abc"), BadFrequency),
        (Leaflet(heard="7 MHz"), BadStation),
        (Leaflet(heard="7 MHz", comes_out="5 MHz"), BadStation),
    ],
)
def test_a_leaflet_that_cannot_be_is_refused(leaflet: Leaflet, kind: type[Exception]) -> None:
    with pytest.raises(kind):
        built(Station("Y"), BoxAnswers(receiver=receiver(), antennas=("End-fed wire",), converter=UP, leaflet=leaflet))


@pytest.mark.parametrize(
    "leaflet", [Leaflet(lo="125 MHz or 120 MHz"), Leaflet(lo="125 MHz", heard="7 MHz", comes_out="127 MHz")]
)
def test_two_oscillators_of_a_leaflet_are_kept_and_said(leaflet: Leaflet) -> None:
    answers = BoxAnswers(receiver=receiver(), antennas=("End-fed wire",), converter=UP, leaflet=leaflet)
    station = built(Station("Y"), answers)
    converter = station.part(UP)
    assert isinstance(converter, Converter)
    assert converter.lo_hz.value == 125e6
    assert "120.000 MHz" in converter.lo_hz.note
    assert any("120.000 MHz" in words for _, words in summary_of(station, answers).findings)


@given(
    st.builds(
        BoxAnswers,
        receiver=st.sampled_from([None, *receivers()]),
        antennas=st.lists(st.sampled_from(NAMES), max_size=3, unique=True).map(tuple),
        joining=st.sampled_from(["hand", "switch", "sockets"]),
        between=st.lists(st.sampled_from(["Unun 9:1", "FM notch", "Mast preamplifier"]), unique=True).map(tuple),
        converter=st.sampled_from(["", *(part.name for part in converters())]),
        feeders=st.lists(st.sampled_from(["receiver", "injector", "wall plug", "USB"]), unique=True).map(tuple),
        transmitting=st.sampled_from(["none", "if", "antenna", "beside"]),
        wishes=st.just(("short wave", "FM")),
    )
)
def test_any_answers_make_a_valid_yard_that_adds_nothing_of_its_own(answers: BoxAnswers) -> None:
    station = checked(built(Station("Y"), answers))
    asked_for = {*answers.antennas, *answers.between, answers.converter, "Antenna switch", "HF transceiver",
                 "Transmitting antenna"}  # fmt: skip
    if answers.receiver is not None:
        asked_for.add(answers.receiver.name)
    assert {p.name for p in station.parts if "njector" not in p.name} <= asked_for
    assert not any(port.bias is not None and port.bias.on for p in station.parts if isinstance(p, Receiver)
                   for port in p.ports)  # fmt: skip
    assert len(asked(answers)) <= 7
    assert len(summary_of(station, answers).wishes) == 2


def test_added_to_an_open_yard_everything_there_stays() -> None:
    answers = BoxAnswers(receiver=receiver(), antennas=("Short whip",))
    first = built(Station("Y"), answers)
    both = checked(built(first, answers))
    assert both.parts[: len(first.parts)] == first.parts
    assert both.routes[: len(first.routes)] == first.routes
    assert both.routes[-1].parts == ("Short whip 2", f"{STICK} 2")


def test_the_dial_goes_to_the_first_wish_that_is_reached() -> None:
    answers = BoxAnswers(receiver=receiver(), antennas=("Short whip",), wishes=("short wave", "airband"))
    station = built(Station("Y"), answers)
    assert station.dial_hz == 125e6
    assert [mark for mark, _ in summary_of(station, answers).wishes] == ["stop", "good"]


@pytest.mark.parametrize(("text", "watts"), [("100", 100.0), ("1.5 kW", 1500.0), ("0,5 W", 0.5), ("1500W", 1500.0)])
def test_a_power_is_read_with_its_unit(text: str, watts: float) -> None:
    assert transmit_w(BoxAnswers(transmit_power=text)) == watts


@pytest.mark.parametrize("text", ["", "much", "\u00b2", "-5 W", "1.5 MW", "100 dBm"])
def test_a_power_that_cannot_be_read_builds_nothing(text: str) -> None:
    answers = BoxAnswers(receiver=receiver(), antennas=("Short whip",), transmitting="beside", transmit_power=text)
    with pytest.raises(BadStation, match="is no power"):
        built(Station("Y"), answers)


def test_every_name_in_the_questions_is_on_the_shelf() -> None:
    from yarddial.session.first_yard.questions import BETWEEN

    assert all(from_shelf(option.key) is not None for option in BETWEEN)
