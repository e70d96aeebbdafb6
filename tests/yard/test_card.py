"""The card's numbers, typed into a model of each convention, must put the dial where it should be."""

from itertools import product
from random import Random

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

import cards
import listening_programs
from all_parts_yard import BEHIND_HEARTH, DIRECT_IN, SATELLITE, station
from yarddial.records.card_text import card_html, card_markdown
from yarddial.yard.card import Card, groupings, settings_card
from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_DISH, VIA_LADDER, demo_station
from yarddial.yard.errors import BadPath
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.frequency_conversion import SamplingClock, Stage, trace
from yarddial.yard.parts import Converter, Receiver, Value
from yarddial.yard.station import Station


def corrected_station(kind: str, lo_hz: float, ppm: float) -> Station:
    """A yard whose crystal is truly off by what is entered, with one converter of a kind, also true."""
    yard = demo_station()
    ladder, finch = yard.part("Ladder"), yard.part("Finch")
    assert isinstance(ladder, Converter)
    assert isinstance(finch, Receiver)
    ladder = msgspec.structs.replace(ladder, kind=kind, lo_hz=Value(lo_hz, 1.0), entered_lo_hz=lo_hz)
    finch = msgspec.structs.replace(finch, entered_ppm=ppm, crystal_ppm=Value(ppm, 0.01))
    return yard.with_part(ladder).with_part(finch)


def received(yard: Station, signal_hz: float, ppm: float) -> float:
    """What the receiver counts for a signal at the antenna: physics, nothing of the card."""
    ladder = yard.part("Ladder")
    assert isinstance(ladder, Converter)
    return trace(signal_hz, [Stage(ladder.kind, ladder.lo_hz.value)], SamplingClock(ppm)).shown_hz


KINDS_AND_LOS = [("sum", 120e6), ("high", 60e6)]


@pytest.mark.parametrize(("kind", "lo_hz"), KINDS_AND_LOS)
@given(ppm=st.floats(-80, 80), dial_hz=st.floats(1e6, 29e6))
def test_every_convention_puts_the_dial_right(kind: str, lo_hz: float, ppm: float, dial_hz: float) -> None:
    yard = corrected_station(kind, lo_hz, ppm)
    card = settings_card(yard, yard.resolve(VIA_LADDER), dial_hz)
    counted = received(yard, dial_hz, ppm)
    # Four programs: two readings of ppm, two of the offset; an inverted one takes the sense too.
    crystal_fast = counted * (1 + card.crystal_fast_ppm * 1e-6)
    shown_high = counted / (1 + card.shown_high_ppm * 1e-6)
    for shown in (crystal_fast, shown_high):
        adds_to_tuner = card.sense * shown + card.offset_added_to_tuner_hz
        adds_to_dial = card.sense * (shown - card.offset_added_to_dial_hz)
        assert adds_to_tuner == pytest.approx(dial_hz, abs=2e-5)
        assert adds_to_dial == pytest.approx(dial_hz, abs=2e-5)


@pytest.mark.parametrize(("kind", "lo_hz"), KINDS_AND_LOS)
@given(ppm=st.floats(-80, 80), dial_hz=st.floats(1e6, 29e6))
def test_whole_ppm_leave_what_is_said_and_the_shift_removes_it(
    kind: str, lo_hz: float, ppm: float, dial_hz: float
) -> None:
    yard = corrected_station(kind, lo_hz, ppm)
    card = settings_card(yard, yard.resolve(VIA_LADDER), dial_hz)
    shown = received(yard, dial_hz, ppm) * (1 + card.whole.ppm * 1e-6)
    plain = card.sense * (shown - card.offset_added_to_dial_hz)
    shifted = card.sense * (shown - card.whole.offset_added_to_dial_hz)
    assert plain - dial_hz == pytest.approx(card.whole.leftover_hz, abs=2e-5)
    assert shifted == pytest.approx(dial_hz, abs=2e-5)
    assert abs(card.whole.ppm - ppm) <= 0.5


def counted_by_physics(name: str, signal_hz: float, dial_hz: float, ppm: float) -> float:
    """What the receiver counts for a signal, its rig and LNB standing for the dial's place: from the wave upwards."""
    fast = 1 + ppm * 1e-6
    if name == BEHIND_HEARTH:
        # The rig stands on the dial's place and turns the spectrum over around its IF.
        return (8.83e6 - (signal_hz - dial_hz)) / fast
    if name == SATELLITE:
        return (signal_hz - (9.75e9 if dial_hz < 11.7e9 else 10.6e9)) / fast
    # Direct sampling at a clock of 28.8 MHz that runs fast as well: turns a sample, folded into half a turn.
    turns = (signal_hz / (28.8e6 * fast)) % 1.0
    return min(turns, 1.0 - turns) * 28.8e6


FOLDED = [(BEHIND_HEARTH, 1e6, 29e6), (SATELLITE, 11.75e9, 12.55e9), (DIRECT_IN, 29e6, 43e6), (DIRECT_IN, 15e6, 28e6)]


@pytest.mark.parametrize(("name", "low_hz", "high_hz"), FOLDED, ids=["IF inverted", "LNB high", "zone 2", "zone 1"])
@given(data=st.data(), ppm=st.floats(-80, 80))
def test_every_convention_holds_behind_an_if_an_lnb_and_a_fold(
    name: str, low_hz: float, high_hz: float, data: st.DataObject, ppm: float
) -> None:
    yard = station()
    dial_hz = data.draw(st.floats(low_hz, min(high_hz, 30e6) if name == DIRECT_IN else high_hz))
    receiver = yard.resolve(name).receiver
    yard = yard.with_part(msgspec.structs.replace(receiver, entered_ppm=ppm))
    if name == DIRECT_IN:
        wire = yard.part("Long wire")
        yard = yard.with_part(msgspec.structs.replace(wire, high_hz=50e6))
    card = settings_card(yard, yard.resolve(name), dial_hz, 100e3)
    # The place itself, and a signal beside it: the sense must be right as well.
    for signal_hz in (dial_hz, dial_hz + 2_000.0):
        counted = counted_by_physics(name, signal_hz, dial_hz, ppm)
        slack = 1e-6 + signal_hz * 2**-50
        for shown in (counted * (1 + card.crystal_fast_ppm * 1e-6), counted / (1 + card.shown_high_ppm * 1e-6)):
            adds_to_tuner = card.sense * shown + card.offset_added_to_tuner_hz
            adds_to_dial = card.sense * (shown - card.offset_added_to_dial_hz)
            assert adds_to_tuner == pytest.approx(signal_hz, abs=slack)
            assert adds_to_dial == pytest.approx(signal_hz, abs=slack)
            # A program that can only swap I/Q mirrors the picture about the centre it is tuned to.
            mirrored = shown if card.sense > 0 else 2 * card.centre_hz - shown
            assert mirrored - card.plain_offset_hz == pytest.approx(signal_hz, abs=slack)
        whole = counted * (1 + card.whole.ppm * 1e-6)
        if signal_hz == dial_hz:
            shifted = card.sense * (whole - card.whole.offset_added_to_dial_hz)
            assert shifted == pytest.approx(dial_hz, abs=2 * slack)
            plain = card.sense * (whole - card.offset_added_to_dial_hz)
            assert plain - dial_hz == pytest.approx(card.whole.leftover_hz, abs=2 * slack)


def test_the_card_tells_gain_as_its_control_reads_it_and_what_feeds_what() -> None:
    yard = demo_station()
    card = settings_card(yard, yard.resolve(VIA_DISH), 10.4e9)
    # The mixer stage stands at 10 of at most 19 dB, and its control reads attenuation.
    assert [(g.stage, g.control) for g in card.gains][1] == ("mixer", "9 dB of attenuation")
    assert ("Feeder", "on, 13 V up the line") in card.feeds
    assert card.rig is None
    ssb = msgspec.structs.replace(yard, mode="ssb")
    behind = settings_card(ssb, ssb.resolve(HEARTH_IF), 14.2e6)
    assert behind.rig is not None
    # In SSB Hearth's display shows the carrier less 1.5 kHz.
    assert behind.rig.display_hz == 14.2e6 - 1500.0
    assert (behind.zone, behind.tuner_hz, behind.sense) == (0, 8.83e6, -1)
    # On 40 m voice is sent in the lower sideband, whose middle is as far below the carrier: 7.1015 for 7.1 MHz.
    lower = settings_card(ssb, ssb.resolve(HEARTH_IF), 7.1e6)
    assert lower.rig is not None
    assert lower.rig.display_hz == 7.1e6 + 1500.0
    page = card_markdown(behind)
    for words in ("Hearth's display", "Direct sampling", "swap I/Q on", "25.5 dB"):
        assert words in page


def test_a_direct_route_needs_no_offset() -> None:
    yard = demo_station()
    card = settings_card(yard, yard.resolve(DIRECT), 145.2e6)
    assert (card.offset_added_to_dial_hz, card.offset_added_to_tuner_hz) == (0.0, 0.0)
    assert card.tuner_hz == 145.2e6
    assert not any(what.startswith("Offset") for what, _ in card.tests())


def test_a_place_out_of_reach_is_refused_with_the_reason() -> None:
    yard = demo_station()
    with pytest.raises(BadPath, match="Ladder takes 50 kHz to 60 MHz"):
        settings_card(yard, yard.resolve(VIA_LADDER), 145.2e6)


@given(st.integers(-(10**11), 10**11))
def test_every_grouping_is_read_back_as_the_same_number(hertz: int) -> None:
    for text in groupings(float(hertz)):
        if abs(hertz) >= 10**6 or not set(text) & set(".,"):
            assert parse_frequency(text) == hertz


def test_the_card_is_written_with_all_its_numbers() -> None:
    yard = corrected_station("sum", 120_000_412.0, 27.3)
    card = settings_card(yard, yard.resolve(VIA_LADDER), 10e6)
    for page in (card_markdown(card), card_html(card)):
        for piece in (
            "+120.000 412 MHz".replace(" 412", "\u202f412"),
            "+27.300 ppm",
            "+27 ppm",
            "120000412",
            "2.048 MS/s",
        ):
            assert piece in page
    assert "O′" in card.working().as_text()


def reading_hz(card: Card, counted_hz: float, way: str, ppm: float) -> float:
    """What a listening program of some convention shows for a signal, its offset set as the card says.

    Of its own: a program that corrects its tuner, in either sense, or that scales what its dial shows.
    """
    tuner_hz = {"fast": counted_hz * (1 + ppm * 1e-6), "high": counted_hz / (1 + ppm * 1e-6), "dial": counted_hz}[way]
    dial_hz = card.sense * tuner_hz + card.offset_added_to_tuner_hz
    return dial_hz * (1 + ppm * 1e-6) if way == "dial" else dial_hz


@pytest.mark.parametrize(("kind", "lo_hz"), KINDS_AND_LOS)
@pytest.mark.parametrize("way", ["fast", "high", "dial"])
@given(ppm=st.floats(-80, 80), dial_hz=st.floats(1e6, 29e6))
def test_the_ten_second_test_tells_the_correction_and_its_number_makes_the_dial_true(
    kind: str, lo_hz: float, way: str, ppm: float, dial_hz: float
) -> None:
    yard = corrected_station(kind, lo_hz, ppm)
    card = settings_card(yard, yard.resolve(VIA_LADDER), dial_hz)
    counted = received(yard, dial_hz, ppm)
    told = " ".join(answer for ask, answer in card.tests() if ask.startswith("Correction"))
    before, after = (reading_hz(card, counted, way, typed) for typed in (0.0, 100.0))
    moved = "rises" if after > before else "falls"
    fast = f"reading {moved}, positive means 'crystal fast'" in told
    if way == "dial":
        # By how much it moves tells it, where tuner and dial differ.
        if abs(card.tuner_hz - dial_hz) > 0.05 * dial_hz:
            assert "the dial itself is scaled" in told
        assert reading_hz(card, counted, way, card.scaled_dial_ppm) == pytest.approx(dial_hz, abs=1e-3)
    else:
        assert fast == (way == "fast")
        typed = card.crystal_fast_ppm if way == "fast" else card.shown_high_ppm
        assert reading_hz(card, counted, way, typed) == pytest.approx(dial_hz, abs=1e-3)
    assert (card.crystal_factor - 1) * 1e9 == pytest.approx(card.crystal_fast_ppb, abs=1e-3)


def test_an_inverted_route_says_what_each_program_needs_and_which_sideband_tells() -> None:
    yard = corrected_station("high", 60e6, 10.0)
    (offset, *_, sideband) = settings_card(yard, yard.resolve(VIA_LADDER), 7.1e6, 100e3).tests()
    assert "60.000 MHz" in offset[0]
    assert "swap I/Q" in offset[1]
    assert "lower sideband here" in sideband[0]
    assert "upper sideband here" in settings_card(yard, yard.resolve(VIA_LADDER), 5.36e6).tests()[-1][0]


@pytest.mark.parametrize("kind", cards.ROUTES)
def test_typed_into_models_of_listening_programs_the_dial_is_true_and_the_tests_tell(kind: str) -> None:
    card, device = cards.card_of(Random(f"7 {kind}"), kind)
    for offset, correction in product(listening_programs.OFFSETS, listening_programs.CORRECTIONS):
        if offset != "knows no inversion" or card.sense < 0:
            assert abs(cards.off_hz_of(card, device, offset, correction)) < 1.0, (offset, correction)
    told, asked = cards.tests_tell(card, device)
    assert told == asked
