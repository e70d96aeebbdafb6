"""Each rule of the audit: a yard that breaks it is told with its number, one that keeps it is not."""

from collections import Counter
from collections.abc import Callable

import msgspec
import pytest

import edge_table
import safety_table
from random_yard import random_yard
from yarddial.analysis.audit.check import check_yard
from yarddial.analysis.audit.exposure import PUBLIC, keep_away_m
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.demo import HEARTH_IF, VIA_LADDER, demo_station
from yarddial.yard.editing import acknowledge, put_in, take_out
from yarddial.yard.part_values import values_of
from yarddial.yard.parts import Receiver
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Route, Station


def typed(station: Station, part: str, key: str, text: str) -> Station:
    value = next(v for v in values_of(station.part(part)) if v.key == key)
    return station.with_part(value.with_text(text, "2026-11-25"))


def from_shelf(name: str) -> object:
    return next(part for part in shelf() if part.name == name)


def found(station: Station, key: str) -> list[BenchFinding]:
    return [finding for finding in check_yard(station) if finding.key.startswith(key)]


def over(*parts: str, port: str = "") -> Station:
    """A yard of one route over parts from the shelf."""
    station = Station("t")
    for name in parts:
        station = put_in(station, from_shelf(name), station.route)  # type: ignore[arg-type]
    route = msgspec.structs.replace(station.routes[0], port=port or station.routes[0].port)
    return msgspec.structs.replace(station, routes=(route,))


def test_the_demo_yard_has_nothing_wrong_but_what_its_owner_has_seen_to() -> None:
    findings = check_yard(demo_station())
    assert {f.key for f in findings if f.seen} == {
        "care:lightning", "care:power lines", "care:two-wire supplies", "oscillator:Ladder:airband",
        "care:exposure:Hearth:Long wire", "care:heat",
    }  # fmt: skip
    assert all(f.mark == "good" for f in findings if not f.seen)
    # 100 W are 50 dBm; 55 dB of isolation at the taps, 60 dB through the switch; both inputs bear +10 dBm.
    margins = {f.key: f.what for f in findings if f.key.startswith("transmit")}
    assert "−5 dBm" in margins["transmit:Hearth:Heron:A"]
    assert "20 dB of margin" in margins["transmit:Hearth:Ladder:"]


def test_connectors_that_do_not_mate_are_told_with_the_adapter_and_mended_by_it() -> None:
    station = typed(demo_station(), "Patch", "output", "BNC jack")
    finding = found(station, "connector:Patch>Ladder")[0]
    assert "BNC jack" in finding.what
    assert finding.why == "buy an adapter, BNC plug to UHF jack"
    assert finding.mend is not None
    mended = finding.mend(station)
    assert mended.route_named(VIA_LADDER).parts[2] == "Adapter BNC–UHF"
    assert found(mended, "connector:Patch>Ladder") == found(mended, "connector:Patch>Adapter") == []
    same_sex = typed(demo_station(), "Finch", "port0", "MCX plug")
    assert "MCX jack to MCX jack" in found(same_sex, "connector:Ladder>Finch")[0].why


def test_a_step_of_impedance_is_told_with_what_it_costs() -> None:
    """A quarter of 25 over 125: a fifth of the voltage comes back, 0.177 dB are lost."""
    station = typed(demo_station(), "Feeder", "input", "F jack, 50 Ω")
    finding = found(station, "impedance:Dish lead>Feeder")[0]
    assert "0.18 dB" in finding.what
    assert "20 %" in finding.why


@pytest.mark.parametrize(
    ("change", "key", "mark", "words"),
    [
        (lambda s: typed(s, "Ladder", "need", "5 V, 90 mA from 12 V 500 mA on"), "supply:Ladder:volts", "stop", "12 V"),
        (lambda s: typed(s, "Ladder", "need", "5 V, 90 mA from 5 V 50 mA on"), "supply:Ladder:current", "stop",
         "50 mA"),
        (lambda s: typed(s, "Ladder", "need", "5 V, 90 mA"), "supply:Ladder", "unknown", "nobody said"),
        (lambda s: typed(s, "Ladder", "need", "5 V, 90 mA from 5 V 500 mA off"), "supply:Ladder:off", "look", "off"),
        (lambda s: typed(s, "Feeder", "feeds the line", "13 V 350 mA off"), "supply:Saucer", "look", "not fed"),
        (lambda s: typed(s, "Feeder", "feeds the line", "18 V 350 mA on"), "supply:Saucer", "stop", "18 V"),
        (lambda s: typed(s, "Feeder", "feeds the line", "13 V 100 mA on"), "supply:Saucer", "stop", "100 mA"),
        (lambda s: typed(s, "Dish lead", "passes_dc", "no"), "supply:Saucer", "stop", "Dish lead"),
        (lambda s: typed(s, "Finch", "port ladder, bias feed", "4.7 V 150 mA on"), "feed:Finch:ladder:idle", "look",
         "4.7 V"),
        (lambda s: typed(s, "Feeder", "feeds the line", ""), "supply:Saucer", "stop", "passes no current"),
    ],
)  # fmt: skip
def test_supplies_are_weighed(change: Callable[[Station], Station], key: str, mark: str, words: str) -> None:
    findings = found(change(demo_station()), key)
    assert findings
    assert findings[0].mark == mark
    assert words in findings[0].what


def test_a_bias_feed_meets_a_short_a_transmitter_or_resistors() -> None:
    stick = over("Beam 2 m", "TV-stick receiver", port="antenna")
    short = typed(stick, "TV-stick receiver", "port antenna, bias feed", "4.5 V 180 mA on")
    danger = found(short, "feed:TV-stick receiver:antenna:Beam 2 m")[0]
    assert (danger.mark, danger.safety) == ("stop", True)
    assert "short" in danger.what
    assert danger.mend is not None
    assert found(danger.mend(short), "feed:") == []
    padded = put_in(short, from_shelf("Attenuator 10 dB"), short.route)  # type: ignore[arg-type]
    assert "resistors" in found(padded, "feed:TV-stick receiver:antenna:Attenuator 10 dB")[0].what
    rig = over("End-fed wire", "HF transceiver", "Wide-band receiver")
    rig = typed(rig, "Wide-band receiver", "port A, bias feed", "4.7 V 100 mA on")
    assert "transmitter" in found(rig, "feed:Wide-band receiver:A:HF transceiver")[0].what


@pytest.mark.parametrize(
    ("isolation", "mark", "words"),
    [("55 dB", "good", "15 dB of margin"), ("45 dB", "look", "only 5 dB"), ("30 dB", "stop", "10 dB too much"),
     ("", "stop", "not known")],
)  # fmt: skip
def test_transmit_power_is_weighed_against_the_largest_safe_input(isolation: str, mark: str, words: str) -> None:
    finding = found(typed(demo_station(), "Hearth", "isolation_db", isolation), "transmit:Hearth:Heron")[0]
    assert (finding.mark, finding.safety) == (mark, True)
    assert words in finding.what
    no_limit = typed(demo_station(), "Heron", "largest0", "")
    assert "nobody stated" in found(no_limit, "transmit:Hearth:Heron")[0].what


def test_an_oscillator_in_a_broadcast_band_is_told_with_where_its_stations_show() -> None:
    """A sum converter at 100 MHz: stations at 100 to 108 MHz pass it and are taken for 0 to 8 MHz."""
    station = over("End-fed wire", "Up-converter 100", "TV-stick receiver", port="antenna")
    finding = found(station, "oscillator:Up-converter 100:FM broadcasting")[0]
    assert "inside FM broadcasting" in finding.what
    assert "100 kHz to 8 MHz" in finding.why
    # A notch over the whole band before the converter lets none of them in.
    notched = put_in(station, from_shelf("FM notch"), station.route, 1)  # type: ignore[arg-type]
    assert found(notched, "oscillator:Up-converter 100:FM") == []


def test_an_oscillator_in_the_airband_is_a_neighbours_trouble_unless_a_low_pass_keeps_it_in() -> None:
    """118 to 137 MHz belong to aircraft (Radio Regulations, article 5)."""
    station = over("End-fed wire", "Up-converter 125", "TV-stick receiver", port="antenna")
    (finding,) = found(station, "oscillator")
    assert finding.key == "oscillator:Up-converter 125:airband"
    assert "local rules" in finding.why
    filtered = put_in(station, from_shelf("Low-pass 30 MHz"), station.route, 1)  # type: ignore[arg-type]
    assert found(filtered, "oscillator") == []


def test_a_filter_behind_a_converter_that_lets_nothing_of_a_band_through_is_told() -> None:
    """Short wave comes out at 125 to 155 MHz; a low-pass of 30 MHz behind the converter stops all of it."""
    station = over("End-fed wire", "Up-converter 125", "TV-stick receiver", port="antenna")
    killed = put_in(station, from_shelf("Low-pass 30 MHz"), station.route, 2)  # type: ignore[arg-type]
    assert found(killed, f"route:{station.route}")[0].mark == "stop"
    notched = put_in(station, from_shelf("FM notch"), station.route, 2)  # type: ignore[arg-type]
    assert found(notched, "range:") == []
    part = typed(notched, "FM notch", "low_hz", "130 MHz")
    part = typed(part, "FM notch", "high_hz", "135 MHz")
    assert "FM notch" in found(part, "range:")[0].what


def test_what_leaves_the_converter_outside_the_receiver_is_told() -> None:
    station = typed(demo_station(), "Finch", "tuner_high_hz", "130 MHz")
    finding = found(station, f"range:{VIA_LADDER}")[0]
    assert "10 MHz to 30 MHz comes out of Ladder at 130 MHz to 150 MHz" in finding.what
    nothing = typed(demo_station(), "Finch", "tuner_low_hz", "1 GHz")
    assert found(nothing, f"route:{VIA_LADDER}")[0].mark == "stop"


def test_direct_sampling_wants_a_filter_that_keeps_one_zone() -> None:
    assert found(demo_station(), "sampling") == []
    bare = take_out(demo_station(), "Low-pass 12", HEARTH_IF)
    assert "13 MHz" in found(bare, "sampling")[0].what
    wide = typed(demo_station(), "Low-pass 12", "high_hz", "20 MHz")
    assert found(wide, "sampling")
    finch = bare.part("Finch")
    assert isinstance(finch, Receiver)
    assert finch.direct is not None
    for low_pass_hz, tells in ((12e6, False), (14e6, True)):
        direct = msgspec.structs.replace(finch.direct, low_pass_hz=low_pass_hz)
        assert bool(found(bare.with_part(msgspec.structs.replace(finch, direct=direct)), "sampling")) is tells


def test_a_short_whip_is_told_on_hf_only() -> None:
    """0.5 m at 3.6 MHz is 1/167 of a wavelength."""
    station = over("Short whip", "Wide-band receiver", port="A")
    hf = msgspec.structs.replace(typed(station, "Short whip", "low_hz", "1 MHz"), dial_hz=3.6e6)
    assert "1/167" in found(hf, "antenna")[0].what
    assert found(msgspec.structs.replace(hf, dial_hz=145e6), "antenna") == []


def test_safety_stands_first_and_an_acknowledged_finding_stays_listed() -> None:
    station = over("Beam 2 m", "TV-stick receiver", port="direct")
    findings = check_yard(station)
    assert [f.safety for f in findings] == sorted((f.safety for f in findings), reverse=True)
    lightning = findings[0]
    seen = acknowledge(station, lightning.key, lightning.what, "unplugged", "2026-11-25")
    again = check_yard(seen)
    assert {f.key for f in again} == {f.key for f in findings}
    assert again[0].key != lightning.key
    assert next(f for f in again if f.key == lightning.key).seen is not None
    # Other words, and it speaks up again.
    more = acknowledge(station, lightning.key, "other words", "x", "")
    assert next(f for f in check_yard(more) if f.key == lightning.key).seen is None


def test_an_unfinished_route_is_a_finding_and_no_yard_breaks_the_check() -> None:
    station = msgspec.structs.replace(
        demo_station(), routes=(*demo_station().routes, Route("Loose end", ("Long wire",)))
    )
    assert "still needs a receiver" in found(station, "route:Loose end")[0].what
    for seed in range(40):
        for finding in check_yard(random_yard(seed)):
            assert finding.what
            assert finding.why
            if finding.mend is not None:
                check_yard(finding.mend(random_yard(seed)))


def with_transmitter(station: Station, isolation: str = "0 dB") -> Station:
    """A rig of 100 W whose outputs are so far below it, into a receiver that bears +10 dBm."""
    station = typed(station, "HF transceiver", "isolation_db", isolation)
    return typed(typed(station, "HF transceiver", "transmit_w", "100 W"), "Wide-band receiver", "largest0", "10 dBm")


@pytest.mark.parametrize(
    ("pads", "isolation", "mark", "name", "words"),
    [
        # 50 dBm meets the first pad's watt: 20 dB too much, whatever stands behind it.
        (("Attenuator 20 dB",) * 3, "0 dB", "stop", "Attenuator 20 dB", "20 dB too much"),
        (("Limiter",), "10 dB", "stop", "Limiter", "10 dB too much"),
        # 50 - 25 dBm into 30 dBm leaves 5; behind 20 dB there is 5 dB to +10 dBm as well.
        (("Attenuator 20 dB",), "25 dB", "look", "", "only 5 dB"),
        (("Attenuator 20 dB",), "40 dB", "good", "", "20 dB of margin"),
    ],
)  # fmt: skip
def test_every_part_has_a_rating_and_the_first_overrun_is_named(
    pads: tuple[str, ...], isolation: str, mark: str, name: str, words: str
) -> None:
    station = over("End-fed wire", "HF transceiver", "Wide-band receiver", port="A")
    for pad in pads:
        station = put_in(station, from_shelf(pad), station.route)  # type: ignore[arg-type]
    findings = found(with_transmitter(station, isolation), "transmit:HF transceiver")
    assert [f.mark for f in findings] == [mark]
    assert name in findings[0].what
    assert words in findings[0].what


@pytest.mark.parametrize(
    ("apart", "measured", "mark", "words"),
    [
        # P.525 at 1.8 MHz: 20 log(4 pi 300 / 166.6) = 27.1 dB, less 6 for a wire and 2.2: 18.9, so 50 dBm leave +31.
        ("300 m", "", "stop", "21 dB too much"),
        # In the near field no less than 10 dB; a guessed distance is a look, no stop.
        ("3 m", "", "stop", "30 dB too much"),
        ("", "", "look", "distance not stated"),
        ("3 m", "60 dB", "good", "measured"),
        ("3 m", "45 dB", "look", "only 5 dB"),
    ],
)
def test_a_receiver_on_its_own_antenna_beside_a_transmitting_one_is_weighed(
    apart: str, measured: str, mark: str, words: str
) -> None:
    station = with_transmitter(over("End-fed wire", "HF transceiver", "Wide-band receiver", port="A"), "60 dB")
    other = over("Wide-band discone", "TV-stick receiver", port="antenna")
    other = typed(typed(other, "Wide-band discone", "apart_m", apart), "Wide-band discone", "coupling_db", measured)
    other = typed(other, "TV-stick receiver", "largest0", "10 dBm")
    station = msgspec.structs.replace(
        station, parts=(*station.parts, *other.parts),
        routes=(*station.routes, msgspec.structs.replace(other.routes[0], name="beside")),
    )  # fmt: skip
    (finding,) = found(station, "transmit:HF transceiver:Wide-band discone")
    assert (finding.mark, finding.safety) == (mark, True)
    assert words in finding.what


def test_a_feed_runs_through_a_splitter_into_another_receiver_and_feeds_what_both_share() -> None:
    first = over("End-fed wire", "Mast preamplifier", "Two-way splitter", "TV-stick receiver", port="antenna")
    first = typed(first, "TV-stick receiver", "port antenna, bias feed", "12 V 500 mA on")
    names = first.routes[0].parts
    other = from_shelf("Wide-band receiver")
    both = msgspec.structs.replace(
        first, parts=(*first.parts, other), routes=(*first.routes, Route("second", (*names[:-1], other.name), port="A"))
    )  # type: ignore[attr-defined]
    danger = [f for f in found(both, "feed:TV-stick receiver:antenna") if f.mark == "stop"]
    assert "through Two-way splitter into Wide-band receiver" in danger[0].what
    assert danger[0].mend is not None
    # The amplifier on the second line is fed over the first: nothing is missing there.
    assert not [f for f in found(both, "supply:") if f.mark == "stop"]
    assert not [f for f in found(first, "feed:TV-stick receiver:antenna") if f.mark == "stop"]


def test_every_rule_turns_at_its_edge_and_nowhere_else() -> None:
    """224 yards: found, not found, just under the edge and just over it, the edges added up by hand."""
    assert edge_table.wrong_edges() == []
    assert len(edge_table.edges()) >= 40


def test_every_rule_of_safety_speaks_in_its_three_yards_and_is_silent_in_three() -> None:
    assert safety_table.wrong_rows(check_yard) == []
    by_rule = Counter((row.rule, row.must) for row in safety_table.rows())
    assert set(by_rule.values()) == {3}
    assert len(by_rule) == 22


@pytest.mark.parametrize(
    ("power_w", "gain_dbi", "hertz", "metres"),
    [
        # sqrt(30 * 100 * 1.66) * 1.6 / 27.7 V/m; at 7 MHz 300 / 7^0.7 = 76.8 V/m; 10 W/m2 are 61.4 V/m.
        (100.0, 2.2, 145e6, 4.08), (100.0, 2.2, 7e6, 1.47), (5.0, 10.0, 5.7e9, 1.01),
    ],
)  # fmt: skip
def test_the_distance_to_keep_is_where_the_field_falls_to_its_limit(
    power_w: float, gain_dbi: float, hertz: float, metres: float
) -> None:
    assert keep_away_m(power_w, gain_dbi, PUBLIC.electric_v_m(hertz)) == pytest.approx(metres, rel=0.01)
