"""The sentences over the places follow from the numbers."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from slow_yards import slow_station
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.session.calibration.verdict import dial_verdict
from yarddial.session.finding import GoTo
from yarddial.session.first_light.result import CheckResult
from yarddial.session.log.log_keeper import Book
from yarddial.session.log.verdict import log_verdict
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.session.station.building import Building
from yarddial.session.station.desk import Desk
from yarddial.session.station.inspection import Inspection
from yarddial.session.station.verdict import bench_verdict
from yarddial.session.verdict import Verdict
from yarddial.yard.bands import BANDS, Region, bands_of, bands_within, source_of
from yarddial.yard.demo import VIA_LADDER, demo_station
from yarddial.yard.errors import LogNotWritten
from yarddial.yard.glossary import GLOSSARY
from yarddial.yard.modes import MODES, mode_named, modes_served, suitability
from yarddial.yard.oscillators import DialState, dial_state, known_oscillators
from yarddial.yard.station import Station


def state(error_hz: float, sigma_hz: float) -> DialState:
    station = demo_station()
    plain = dial_state(station.resolve(VIA_LADDER), 10e6, known_oscillators(station))
    trace = msgspec.structs.replace(plain.trace, dial_error_hz=error_hz)
    return msgspec.structs.replace(plain, trace=trace, sigma_hz=sigma_hz)


@pytest.mark.parametrize(
    ("error_hz", "sigma_hz", "mode", "mark", "words"),
    [
        (-3098.0, 9.0, "am", "look", "reads 3\u202f098 Hz low"),
        (37.0, 6.0, "ssb", "look", "reads 37 Hz high"),
        (1.0, 6.0, "ssb", "good", "true to 6.0 Hz"),
        (1.0, 12.0, "data", "look", "true to 12 Hz"),
        (0.1, 0.3, "data", "good", "true to 0.30 Hz"),
    ],
)
def test_the_dial_is_judged_by_error_doubt_and_mode(
    error_hz: float, sigma_hz: float, mode: str, mark: str, words: str
) -> None:
    verdict = dial_verdict(state(error_hz, sigma_hz), mode_named(mode), measured=True)
    assert verdict.mark == mark
    assert words in verdict.sentence


def test_what_was_not_measured_is_never_called_an_error() -> None:
    verdict = dial_verdict(state(0.0, 3300.0), mode_named("am"), measured=False)
    assert verdict.mark == "unknown"
    assert "may be off by some 3.3 kHz" in verdict.sentence


def test_what_first_light_found_is_a_finding_while_it_concerns_the_rate_in_use(session: Session) -> None:
    used_hz = session.desk.route.receiver.rate_hz
    lost = CheckResult("rate", "look", "10 of 99 samples lost", "use a lower rate", figures={"rate_hz": used_hz * 2})
    session.device_check.receiver, session.device_check.results = "Finch", (lost,)
    assert not any(found.what.startswith("First light") for found in findings(session))
    dead = CheckResult("antenna", "stop", "nothing is connected", "look at plug and lead")
    session.device_check.results = (msgspec.structs.replace(lost, figures={"rate_hz": used_hz}), dead)
    worst = findings(session)[0]
    assert (worst.what, worst.fix) == ("First light: Finch, antenna: nothing is connected", GoTo("First light"))
    session.device_check.results = session.device_check.results[:1]
    assert any(found.what.endswith("10 of 99 samples lost") for found in findings(session))


@given(st.floats(-1e5, 1e5), st.floats(0.01, 1e5))
def test_modes_are_served_from_the_widest_to_the_strictest(error_hz: float, sigma_hz: float) -> None:
    served, unserved = modes_served(error_hz, sigma_hz)
    assert set(served) | set(unserved) == set(MODES)
    assert all(s.tolerance_hz > u.tolerance_hz for s in served for u in unserved)
    sentence = suitability(error_hz, sigma_hz)
    assert served == () or served[0].name in sentence or sentence.startswith("Enough for every mode")


def test_the_bench_says_what_the_yard_reaches() -> None:
    desk = Desk(demo_station())
    building, inspection = Building(desk), Inspection(desk)

    def verdict() -> Verdict:
        return bench_verdict(desk, inspection.findings(), inspection.coverages())

    # 30 to 60 MHz, the hole at 1.105 to 1.14 GHz, and from 1.3 to 10 GHz.
    assert "100 kHz to 11.7 GHz, with 3 gaps" in verdict().sentence
    desk.dial(5e9)
    assert (verdict().mark, verdict().sentence) == ("look", "5 GHz is out of reach.")
    assert "Long wire serves" in verdict().consequence
    assert "Saucer takes" in verdict().consequence
    desk.dial(50e6)
    assert "reached, but weakly" in verdict().sentence
    building.set_value("Ladder", "need", "5 V, 90 mA from 12 V 500 mA on")
    assert verdict().mark == "stop"
    assert "12 V" in verdict().sentence
    empty = Desk(Station("x"))
    assert bench_verdict(empty, (), {}).sentence == "This yard is still empty."


def test_a_log_in_trouble_is_the_first_finding() -> None:
    def broken() -> Book:
        raise LogNotWritten("the log is held by another program")

    session = Session(slow_station(), EngineInline(wiring.open_device_flat_out), broken)
    session.notes.add("a note while the log is held")
    verdict = log_verdict(session.log)
    assert (verdict.mark, verdict.short) == ("stop", "1 waiting")
    first = findings(session)[0]
    assert (first.mark, first.fix) == ("stop", GoTo("Log"))
    assert "held by another program" in first.what


def test_findings_stand_worst_first(session: Session) -> None:
    order = ["stop", "look", "unknown", "good"]
    session.desk.hold(True)
    session.desk.dial(145e6)
    marks = [order.index(finding.mark) for finding in findings(session)]
    assert marks == sorted(marks)
    assert all(finding.what and finding.why for finding in findings(session))


@pytest.mark.parametrize(
    ("region", "amateur"),
    [
        (1, "2200 630 160 80 60 40 30 20 17 15 12 10 6 4 2 m 70 23 13 9 6 3 1.2 cm"),
        (2, "2200 630 160 80 60 40 30 20 17 15 12 10 6 2 1.25 m 70 33 23 13 9 6 3 1.2 cm"),
        (3, "2200 630 160 80 60 40 30 20 17 15 12 10 6 2 m 70 23 13 9 6 3 1.2 cm"),
    ],
)
def test_every_amateur_and_short_wave_broadcast_band_of_a_region_is_there_with_its_source(
    region: Region, amateur: str
) -> None:
    """By the tables of the regions' amateur unions and of article 12, as wavelengths."""
    metres, centimetres = amateur.removesuffix(" cm").split(" m ")
    wanted = {f"{one} m" for one in metres.split()} | {f"{one} cm" for one in centimetres.split()}
    bands = bands_of(region)
    assert {band.name for band in bands if band.kind == "amateur"} == wanted
    broadcast = {band.name for band in bands if band.kind == "broadcast"}
    assert broadcast >= {f"{one} m" for one in (120, 90, 49, 41, 31, 25, 22, 19, 16, 13)}
    assert broadcast >= {"medium wave", "FM broadcast", "15 m broadcast", "11 m broadcast", "60 m tropical"}
    assert all(source_of(band) for band in bands)
    names = [band.name for band in bands]
    assert len(set(names)) == len(names)


def test_bands_rise_and_words_are_explained_once() -> None:
    assert all(band.low_hz < band.high_hz for band in BANDS)
    assert [b.name for b in bands_within(9.8e6, 10.2e6, BANDS)] == [
        "31 m",
        "10 MHz standard",
        "aircraft 10 MHz",
        "30 m",
    ]
    terms = [term for term, _ in GLOSSARY]
    assert len(set(terms)) == len(terms)
    assert all(meaning.endswith(".") for _, meaning in GLOSSARY)
