"""The settings card typed into models of listening programs: every convention, upright and inverted, every route.

Asked: the dial true within 1 Hz, and each ten-second test telling the convention. What is typed is the card's own text,
read back as a person copies it.
"""

import re
from itertools import product
from random import Random

import listening_programs as programs
from yarddial.records.card_text import card_rows
from yarddial.yard.card import LO_SIDES, Card, settings_card
from yarddial.yard.parts import Antenna, Converter, DirectSampling, Lnb, LnbBand, Port, Receiver, Transceiver, Value
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Route, Station

YARDS = 60
ROUTES = (
    "none", "sum", "low", "high", "two boxes", "IF upright", "IF inverted", "LNB", "zone 0", "zone 1", "zone 2", "zone 3"
)  # fmt: skip


def prove() -> bool:
    """All of them on random yards."""
    worst_hz, cards, told, wrong = 0.0, 0, 0, []
    for seed, kind in product(range(YARDS), ROUTES):
        card, device = card_of(Random(f"{seed} {kind}"), kind)
        for offset, correction in product(programs.OFFSETS, programs.CORRECTIONS):
            if offset == "knows no inversion" and card.sense > 0:
                continue
            off_hz = off_hz_of(card, device, offset, correction)
            cards += 1
            worst_hz = max(worst_hz, abs(off_hz))
            if abs(off_hz) > 1.0:
                wrong.append(f"{kind}, {offset}, {correction}: {off_hz:+.2f} Hz ({card.dial_hz:.0f})")
        good, all_tests = tests_tell(card, device)
        told += good
        if good < all_tests:
            wrong.append(f"{kind}: {all_tests - good} tests of {all_tests} tell nothing ({card.dial_hz:.0f})")
    for line in sorted(wrong, key=lambda text: "LNB" in text)[:12]:
        print(line)
    print(
        f"{'MISS' if wrong else 'ok  '} {cards} cards typed in: worst {worst_hz:.2f} Hz off; tests that told: {told}; "
        f"wrong: {len(wrong)}"
    )
    return not wrong


def card_of(chance: Random, kind: str) -> tuple[Card, programs.Device]:
    """A yard that is entered as it truly is."""
    ppm = chance.choice((0.0, chance.uniform(-80, 80)))
    crystal_hz = chance.choice((24e6, 26e6, 28.8e6))
    clock_hz = crystal_hz if kind.startswith("zone") else 0.0
    direct = DirectSampling("p", clock_hz, 3) if clock_hz else None
    receiver = Receiver(
        "R", 1e5, 2e9, crystal_hz, Value(ppm), ppm, (2.4e6,), 2.4e6, 8, direct=direct, ports=(Port("p"),)
    )
    dial_hz, parts, converters = _route(chance, kind, clock_hz)
    # A zone is one of the clock as it truly runs.
    antenna = Antenna("A", 0.0, 1e11)
    mode = chance.choice(("am", "cw", "ssb"))
    station = Station("s", (antenna, *parts, receiver), (Route("r", ("A", *(p.name for p in parts), "R"), "p"),),
                      dial_hz=dial_hz, mode=mode, route="r")  # fmt: skip
    line = ResolvedRoute.of("r", station.parts, dial_hz, "p")
    return settings_card(station, line, dial_hz, 2e5), programs.Device(converters, crystal_hz, 1 + ppm * 1e-6, clock_hz)


def _route(chance: Random, kind: str, clock_hz: float) -> tuple[float, tuple[object, ...], list[tuple[str, float]]]:
    def box(name: str, sense: str, lo_hz: float) -> Converter:
        return Converter(name, sense, Value(lo_hz), lo_hz, 0.0, 1e11)  # type: ignore[arg-type]

    off = lambda hertz: hertz * (1 + chance.uniform(-2e-5, 2e-5))
    if kind == "sum":
        lo_hz = off(120e6)
        return chance.uniform(1e6, 50e6), (box("B", "sum", lo_hz),), [("sum", lo_hz)]
    if kind == "low":
        lo_hz = off(1e9)
        return chance.uniform(1.1e9, 2.4e9), (box("B", "low", lo_hz),), [("low", lo_hz)]
    if kind == "high":
        lo_hz = off(200e6)
        return chance.uniform(100e6, 170e6), (box("B", "high", lo_hz),), [("high", lo_hz)]
    if kind == "two boxes":
        one_hz, two_hz = off(120e6), off(400e6)
        return (
            chance.uniform(1e6, 50e6),
            (box("B", "sum", one_hz), box("C", "high", two_hz)),
            [("sum", one_hz), ("high", two_hz)],
        )
    if kind == "LNB":
        lo_hz = off(9.75e9)
        head = Lnb("L", (LnbBand("low", Value(lo_hz), lo_hz, 10.4e9, 11.7e9),))
        return chance.uniform(10.45e9, 11.6e9), (head,), [("low", lo_hz)]
    if kind.startswith("IF"):
        sense = 1 if kind == "IF upright" else -1
        dial_hz, if_hz = chance.uniform(2e6, 30e6), 8.83e6
        rig = Transceiver("T", "if", 1e5, 3e7, if_hz=if_hz, sense=sense, offsets_hz={"am": 0.0}, rig_ppm=Value(0.0))
        # Its oscillator is where it takes the dial's place to the IF.
        keeps = "high" if sense < 0 else "low" if dial_hz > if_hz else "sum"
        lo_hz = dial_hz + if_hz if sense < 0 else abs(dial_hz - if_hz)
        return dial_hz, (rig,), [(keeps, lo_hz)]
    if kind.startswith("zone"):
        zone = int(kind[-1])
        return (zone + chance.uniform(0.15, 0.85)) * clock_hz / 2, (), []
    return chance.uniform(2e6, 1.7e9), (), []


def _number(text: str) -> float:
    """As a person copies it: without thin spaces, units turned into hertz."""
    plain = text.replace("\u202f", "").replace("−", "-").replace(" ppm", "")
    match = re.fullmatch(r"([+-]?[\d.]+)\s*(GHz|MHz|kHz|Hz)?", plain)
    assert match is not None, text
    return float(match[1]) * {"GHz": 1e9, "MHz": 1e6, "kHz": 1e3, "Hz": 1.0, None: 1.0}[match[2]]


def off_hz_of(card: Card, device: programs.Device, offset: str, correction: str) -> float:
    """Reading minus truth; with whole ppm the shift that the card gives is typed in as well."""
    rows = {name: value for name, value, _ in card_rows(card)}
    row = {
        "crystal fast": "Correction, crystal fast by", "shown high": "Correction, shown high by", "ppb": "Correction in ppb",
        "factor": "Correction as a factor", "crystal in hertz": "Crystal, if it is asked for", "whole ppm": "Whole ppm only",
        "scales the dial": "Correction, if the dial is scaled",
    }[correction]  # fmt: skip
    typed = programs.Typed(_offset(card, rows, offset), _number(rows[row]), card.sense < 0, card.lo_side,
                           card.sense < 0, _number(rows["Centre to tune to"]))  # fmt: skip
    off_hz = programs.reading(offset, correction, typed, device, card.dial_hz) - card.dial_hz
    # The card gives the shift for whole ppm, to be added to the offset.
    return off_hz - card.whole.leftover_hz if correction == "whole ppm" else off_hz


def _offset(card: Card, rows: dict[str, str], offset: str) -> float:
    if offset == "positive, with its side":
        return _number(rows["Oscillator, as a positive number"]) if card.lo_side else 0.0
    if card.sense < 0:
        if offset == "knows no inversion":
            return _number(rows["Offset with swap I/Q on"])
        # Turned over, both senses are the same number.
        return _number(rows["Offset"])
    return _number(
        rows["Offset, if added to the dial" if offset == "added to the dial" else "Offset, if added to the tuner"]
    )


def tests_tell(card: Card, device: programs.Device) -> tuple[int, int]:
    """How many conventions a person finds out by doing what the tests say, of how many."""
    told = asked = 0
    text = " ".join(f"{what} {reading}" for what, reading in card.tests())
    if card.offset_added_to_dial_hz:
        for offset in ("added to the dial", "added to the tuner"):
            typed = programs.Typed(card.offset_added_to_dial_hz, 0.0, card.sense < 0, card.lo_side)
            there = abs(programs.goes_to(offset, typed, card.dial_hz) - card.tuner_hz) < 1.0
            asked += 1
            # Turned over, both mean the same and there is nothing to tell.
            told += there == (offset == "added to the dial" or card.sense < 0)
        assert card.lo_side in LO_SIDES
        if card.sense < 0:
            asked += 1
            blind = programs.Typed(card.offset_added_to_dial_hz, 0.0)
            told += abs(programs.goes_to("knows no inversion", blind, card.dial_hz) - card.tuner_hz) > 1.0
    # A carrier's reading with +100 ppm in place of what is there, against it with nothing.
    moved = {}
    for correction in ("crystal fast", "shown high", "scales the dial"):
        at = [
            programs.reading("added to the dial", correction,
                             programs.Typed(card.offset_added_to_dial_hz, ppm, card.sense < 0), device, card.dial_hz)
            for ppm in (0.0, 100.0)
        ]  # fmt: skip
        moved[correction] = at[1] - at[0]
    rises = re.search(r"reading (rises|falls), positive means 'crystal fast'", text)
    assert rises is not None
    asked += 2
    told += (moved["crystal fast"] > 0) == (rises[1] == "rises")
    told += (moved["shown high"] > 0) == (rises[1] == "falls")
    if "the dial itself is scaled" in text:
        asked += 1
        sizes = [abs(moved["crystal fast"]), abs(moved["scales the dial"])]
        said = (
            abs(sizes[0] - 1e-4 * card.tuner_hz) < 0.02 * sizes[0]
            and abs(sizes[1] - 1e-4 * card.dial_hz) < 0.02 * sizes[1]
        )
        told += said and abs(sizes[0] - sizes[1]) > 1.0
    else:
        # Not told apart: then what is typed must not matter.
        asked += 1
        as_found = (
            card.crystal_fast_ppm if (moved["scales the dial"] > 0) == (rises[1] == "rises") else card.shown_high_ppm
        )
        typed = programs.Typed(card.offset_added_to_dial_hz, as_found, card.sense < 0)
        off_hz = programs.reading("added to the dial", "scales the dial", typed, device, card.dial_hz) - card.dial_hz
        told += abs(off_hz) < 1.0
    return told, asked
