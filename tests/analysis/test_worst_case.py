"""Yards in which a receiver burns or a person is exposed, by hand in decibels, watts and metres."""

from math import log10, pi, sqrt

import pytest

from yarddial.analysis.audit.caution import caution_for
from yarddial.analysis.audit.check import check_yard
from yarddial.analysis.audit.coupling import coupling_of
from yarddial.analysis.audit.exposure import OCCUPATIONAL, PUBLIC, distance_m, keep_away_m
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.analysis.audit.worst_power import worst_power_of
from yarddial.yard.parts import (
    Antenna,
    Converter,
    Feed,
    Lnb,
    LnbBand,
    Need,
    Part,
    Port,
    Receiver,
    Socket,
    Transceiver,
    TwoPort,
    Value,
)
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Route, Station


def receiver(limit_dbm: float | None = 10.0, name: str = "Stick", bias: Feed | None = None) -> Receiver:
    limit = None if limit_dbm is None else Value(limit_dbm)
    ports = (Port("", largest_dbm=limit, bias=bias),)
    return Receiver(name, 1e5, 2e9, 28.8e6, Value(0.0, 1.0), 0.0, (2e6,), 2e6, 8, ports=ports)


def rig(watts: float, isolation_db: float | None = 90.0, low_hz: float = 1.8e6, high_hz: float = 30e6) -> Transceiver:
    isolation = None if isolation_db is None else Value(isolation_db)
    return Transceiver("Rig", "antenna", low_hz, high_hz, transmit_w=watts, isolation_db=isolation)


def yard(*ways: tuple[Part, ...], spare: tuple[Part, ...] = ()) -> Station:
    parts = {part.name: part for way in ways for part in way} | {part.name: part for part in spare}
    routes = tuple(Route(f"r{n}", tuple(part.name for part in way)) for n, way in enumerate(ways))
    return Station("t", tuple(parts.values()), routes, route="r0")


def told(station: Station, key: str) -> list[BenchFinding]:
    return [finding for finding in check_yard(station) if finding.key.startswith(key)]


DIPOLE = Antenna("Dipole", 1.8e6, 3e7, kind="dipole", length_m=80.0)
WIRE = Antenna("Wire", 1e5, 3e7, kind="wire", length_m=20.0, apart_m=5.0)


def test_a_transmitter_on_no_finished_route_counts() -> None:
    """1.5 kW are 62 dBm; 5 m away in the near field they lose 10 dB at least: 52 dBm onto a socket of +10."""
    own_antenna = yard((WIRE, receiver()), (DIPOLE, rig(1_500.0)))
    on_the_shelf = yard((WIRE, receiver()), spare=(rig(1_500.0),))
    for station in (own_antenna, on_the_shelf):
        (finding,) = told(station, "transmit:Rig:Wire")
        assert (finding.mark, round(finding.margin_db or 0.0)) == ("stop", -42)
        part = station.part("Rig")
        assert isinstance(part, Transceiver)
        worst = worst_power_of(station, station.resolve("r0"), part)
        assert worst is not None
        assert not worst.is_safe
    assert told(own_antenna, "transmit:Rig:Wire")[0].path == ("Rig", "Dipole", "Wire", "Stick")
    assert "the yard does not show" in told(on_the_shelf, "transmit:")[0].assumes[0]
    assert told(own_antenna, "care:exposure:Rig:Dipole"), "and people are beside it"


@pytest.mark.parametrize(
    ("gain_db", "iip3_dbm", "limit_dbm", "mark"),
    [
        # 5 dBm and 30 dB of gain: saturated at +28, 18 dB too much for +10; a socket of +40 bears it.
        (30.0, None, 10.0, "stop"), (30.0, None, 40.0, "good"),
        # With an input intercept of -5 dBm it saturates at -5 + 20 - 6.6 = 8.4 dBm: 1.6 dB left.
        (20.0, -5.0, 10.0, "look"), (20.0, -5.0, 19.0, "good"),
        # 5 + 3 = 8 dBm come out: just under, and just over.
        (3.0, None, 8.5, "look"), (3.0, None, 7.5, "stop"),
    ],
)  # fmt: skip
def test_an_amplifier_before_the_socket_counts(
    gain_db: float, iip3_dbm: float | None, limit_dbm: float, mark: str
) -> None:
    amplifier = TwoPort(
        "Amp", "preamplifier", Value(gain_db), largest_dbm=Value(22.0),
        iip3_dbm=None if iip3_dbm is None else Value(iip3_dbm),
    )  # fmt: skip
    (finding,) = told(yard((DIPOLE, rig(100.0, 45.0), amplifier, receiver(limit_dbm))), "transmit:Rig")
    assert finding.mark == mark
    assert finding.path == ("Rig", "Amp", "Stick")


def test_a_relay_is_judged_as_if_it_stuck_and_both_places_say_the_same() -> None:
    relay = TwoPort("Relay", "relay", Value(-0.3), isolation_db=Value(50.0), largest_dbm=Value(60.0))
    limiter = TwoPort("Limiter", "limiter", Value(-0.3), largest_dbm=Value(55.0))
    for behind, opens in (((receiver(),), False), ((limiter, receiver(30.0)), False)):
        station = yard((DIPOLE, relay, rig(100.0)), (DIPOLE, relay, *behind))
        (finding,) = told(station, f"transmit:Rig:{'Stick' if len(behind) == 1 else 'Limiter'}")
        assert finding.mark == "stop"
        assert "if Relay sticks" in finding.what
        part = station.part("Rig")
        assert isinstance(part, Transceiver)
        worst = worst_power_of(station, station.resolve("r1"), part)
        assert worst is not None
        assert worst.is_safe is opens
    assert "+50 dBm" in told(yard((DIPOLE, relay, rig(100.0)), (DIPOLE, relay, receiver())), "transmit:Rig")[0].what


@pytest.mark.parametrize(
    ("part", "watts", "mark"),
    [
        (TwoPort("Balun", "transformer", Value(-0.3)), 1_500.0, "stop"),
        (TwoPort("Balun", "transformer", Value(-0.3)), 100.0, ""),
        (TwoPort("Thin", "cable", Value(-0.3)), 150.0, "look"), (TwoPort("Thin", "cable", Value(-0.3)), 250.0, "stop"),
        (TwoPort("Thick", "cable", Value(-0.3), largest_dbm=Value(62.0)), 1_500.0, ""),
        (TwoPort("Thick", "cable", Value(-0.3), largest_dbm=Value(61.5)), 1_500.0, "stop"),
        (TwoPort("Mast", "preamplifier", Value(20.0)), 50.0, "stop"),
        (TwoPort("Feed", "injector", Value(-0.3)), 50.0, "stop"),
        (TwoPort("Spark", "arrester", Value(-0.1)), 1_500.0, "stop"),
        (TwoPort("Spark", "arrester", Value(-0.1)), 100.0, ""),
    ],
)  # fmt: skip
def test_every_part_of_the_transmitting_line_is_held_to_its_rating(part: TwoPort, watts: float, mark: str) -> None:
    """Usual ratings: balun, cable, relay, arrester 100 W, an injector 1 W; nothing goes backwards into an amplifier."""
    findings = told(yard((DIPOLE, part, rig(watts))), f"rating:Rig:{part.name}")
    assert [finding.mark for finding in findings] == ([mark] if mark else [])


def test_an_active_antenna_is_not_transmitted_into() -> None:
    active = Antenna("Rod", 1e5, 3e7, kind="whip", need=Need(11.0, 13.0, 60.0, "line"))
    assert told(yard((active, rig(5.0))), "rating:Rig:Rod")[0].mark == "stop"


def test_two_arrays_that_face_each_other_couple_by_their_directivities() -> None:
    """Free space at 430 MHz over 25 m: 20 log(4 pi 25 / 0.697) = 53.1 dB, less 16 twice: 21.1."""
    array = {"directivity_dbi": Value(16.0), "kind": "beam"}
    sends = Antenna("A", 4e8, 5e8, **array)  # type: ignore[arg-type]
    hears = Antenna("B", 4e8, 5e8, apart_m=25.0, **array)  # type: ignore[arg-type]
    coupling = coupling_of(rig(50.0, low_hz=430e6, high_hz=440e6), sends, hears)
    assert coupling is not None
    assert coupling.loss_db == pytest.approx(20 * log10(4 * pi * 25 * 430e6 / 299_792_458) - 32.0, abs=1e-9)
    assert coupling.assumes == ()


def test_a_dummy_load_does_not_block_the_self_test() -> None:
    load = Antenna("Load", 0.0, 1e9, kind="dummy load")
    (finding,) = told(yard((load, rig(5.0)), (WIRE, receiver())), "transmit:Rig:Wire")
    # 37 dBm less the 60 dB that its case keeps in.
    assert (finding.mark, round(finding.margin_db or 0.0)) == ("good", 33)


@pytest.mark.parametrize(
    ("antenna", "watts", "hertz", "least_m", "most_m"),
    [
        # 83 V/m, ICNIRP 2010, kept by 2020: sqrt(30 x 1500 x 1.66) x 1.6 / 83.
        (DIPOLE, 1_500.0, 1.85e6, 5.2, 7.9),
        # 750 W into 18 dBi at 430 MHz: sqrt(30 x 750 x 63.1) x 1.6 / (1.375 sqrt 430).
        (Antenna("Array", 4e8, 5e8, kind="beam", directivity_dbi=Value(18.0)), 750.0, 430e6, 66.8, 67.0),
        (Antenna("Named nothing", 4e8, 5e8), 750.0, 430e6, 66.8, 67.0),
        (Antenna("Vertical", 1e8, 2e8, kind="whip", length_m=1.0), 5.0, 145e6, 0.91, 1.4),
        (Antenna("Dish", 1e9, 3e10, kind="dish", directivity_dbi=Value(40.0)), 5.0, 24e9, 31.9, 48.0),
    ],
)  # fmt: skip
def test_people_are_kept_as_far_as_the_texts_say(
    antenna: Antenna, watts: float, hertz: float, least_m: float, most_m: float
) -> None:
    assert least_m <= distance_m(antenna, watts, hertz) <= most_m
    assert distance_m(antenna, watts, hertz, OCCUPATIONAL) < distance_m(antenna, watts, hertz)


def test_beside_a_small_loop_the_magnetic_field_decides() -> None:
    """100 W at 1.85 MHz: m = sqrt(12 pi P / (eta k^4)), H = m / (2 pi r^3) on its axis, 1.6 times for the ground."""
    k = 2 * pi * 1.85e6 / 299_792_458
    moment = sqrt(12 * pi * 100.0 / (376.73 * k**4))
    loop = Antenna("Loop", 1e6, 3e7, kind="loop")
    away_m = distance_m(loop, 100.0, 1.85e6)
    assert 1.6 * moment / (2 * pi * away_m**3) <= 2.2 / 1.85 * 1.001
    assert away_m > 3 * keep_away_m(100.0, 1.8, 83.0)


@pytest.mark.parametrize(
    ("mhz", "volts"), [(1.8, 198.8), (9.9, 60.3), (14.0, 47.3), (50.0, 27.7), (900.0, 41.25), (10e3, 61.4)]
)
def test_the_limits_are_those_of_the_tables(mhz: float, volts: float) -> None:
    """ICNIRP 2020: 300 / f^0.7, 27.7, 1.375 root f, 10 W/m2, averaged over 30 minutes."""
    assert PUBLIC.electric_v_m(mhz * 1e6) == pytest.approx(volts, rel=2e-3)


def test_pauses_lower_what_heats_and_not_what_nerves_feel() -> None:
    """At 14 MHz a quarter of the time is half the distance; at 1.85 MHz 83 V/m hold at every instant (ICNIRP 2010)."""
    beam = Antenna("Beam", 1e6, 3e7, kind="beam", directivity_dbi=Value(8.0))
    always_m, quarter_m = (distance_m(beam, 20_000.0, 28e6, duty_share=share) for share in (1.0, 0.25))
    assert quarter_m == pytest.approx(always_m / 2)
    always_m, quarter_m = (distance_m(DIPOLE, 1_500.0, 1.85e6, duty_share=share) for share in (1.0, 0.25))
    assert quarter_m == pytest.approx(always_m)


@pytest.mark.parametrize(
    ("volts", "side", "mark", "words"),
    [
        (18.0, "vertical", "stop", "receives horizontal"), (13.0, "horizontal", "stop", "receives vertical"),
        (16.0, "horizontal", "", ""), (15.9, "horizontal", "stop", "gives 15.9 V"), (13.0, "vertical", "", ""),
        (24.0, "vertical", "stop", "burns"),
    ],
)  # fmt: skip
def test_an_lnb_works_on_the_other_polarisation_and_its_feed_is_never_called_idle(
    volts: float, side: str, mark: str, words: str
) -> None:
    head = Lnb("Head", (LnbBand("low", Value(9.75e9), 9.75e9, 10.7e9, 11.7e9),), polarisation=side)  # type: ignore[arg-type]
    dish = Antenna("Dish", 1e10, 1.3e10, kind="dish", length_m=0.8)
    station = yard((dish, head, receiver(bias=Feed(volts, 300.0, True))))
    findings = told(station, "supply:Head")
    assert [finding.mark for finding in findings] == ([mark] if mark else [])
    assert all(words in finding.what + finding.why for finding in findings)
    assert not told(station, "feed:"), "what feeds it is of use, whatever its current"
    unfed = told(yard((dish, head, receiver())), "supply:Head")
    assert [finding.mark for finding in unfed] == ["stop"]


@pytest.mark.parametrize(("plug_ohms", "words"), [(50.0, "breaks"), (75.0, "loosely")])
def test_n_of_two_impedances_is_a_stop(plug_ohms: float, words: str) -> None:
    cable = TwoPort(
        "Cable", "cable", Value(-0.1), input=Socket("N", "jack", 75.0), output=Socket("N", "plug", plug_ohms)
    )
    jack = TwoPort("Filter", "filter", Value(-1.0), input=Socket("N", "jack", 125.0 - plug_ohms))
    (finding,) = told(yard((WIRE, cable, jack, receiver())), "impedance:Cable>Filter")
    assert finding.mark == "stop"
    assert words in finding.why


def test_the_first_line_of_a_new_yard_is_its_worst_stop() -> None:
    outdoors = Antenna("Mast", 1e5, 3e7, kind="wire", outdoors=True, apart_m=5.0)
    marks = [finding.mark for finding in check_yard(yard((outdoors, receiver()), (DIPOLE, rig(100.0))))]
    assert marks[0] == "stop"
    assert marks == sorted(marks, key=["stop", "look", "unknown", "good"].index)


def test_a_transmitters_own_line_is_no_unfinished_route() -> None:
    station = yard((WIRE, receiver()), (DIPOLE, rig(5.0)))
    assert not told(station, "route:")
    assert "own line" in station.resolve("r1").missing
    assert told(yard((WIRE, receiver()), (DIPOLE,)), "route:"), "one without a transmitter is unfinished"


def test_every_part_of_the_shelf_that_can_hurt_has_a_caution() -> None:
    cautions = {part.name: caution_for(part) for part in shelf()}
    assert "storm" in cautions["End-fed wire"]
    assert "menu" in cautions["HF transceiver"]
    assert "relay" in cautions["Two-way splitter"]
    assert "polarity" in cautions["Mast preamplifier"]
    assert cautions["Thin cable 5 m"] == ""


@pytest.mark.parametrize(
    ("between", "words"),
    [
        # Nobody wrote down that a cable and the coils of a low-pass let it through: they do, onto the loop's short.
        (TwoPort("Cable", "cable", Value(-0.5)), "Loop, which is a short"),
        (TwoPort("Low", "filter", Value(-0.5), shape="low-pass"), "Loop, which is a short"),
        (TwoPort("Stub", "filter", Value(-0.5), shape="low-pass", dc_short=True), "Stub, which is a short"),
        (TwoPort("Own supply", "preamplifier", Value(20.0), need=Need(11.0, 13.0, 60.0, "lead")), "output is no place"),
        (Converter("Mixer", "sum", Value(1.2e8), 1.2e8, 0.0, 6e7), "output is no place"),
        (TwoPort("Through", "preamplifier", Value(20.0), passes_dc=True), "Loop, which is a short"),
        (TwoPort("Block", "block", Value(-0.1)), ""),
    ],
)
def test_a_bias_voltage_is_followed_to_what_it_destroys(between: Part, words: str) -> None:
    loop = Antenna("Loop", 1e5, 3e7, kind="loop", dc_short=True)
    stops = [f for f in told(yard((loop, between, receiver(bias=Feed(4.7, 150.0, True)))), "feed:") if f.mark == "stop"]
    assert bool(stops) == bool(words)
    assert all(words in finding.what for finding in stops)
    assert all(finding.safety and finding.mend is not None for finding in stops)
