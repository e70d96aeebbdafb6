"""Two set-ups compared on the running receiver, and the proof by steps."""

import msgspec
import pytest

from waiting import set_rate, until
from yarddial.analysis.comparison.difference import Difference
from yarddial.session.listening.comparison import PAIRS_A_COMPARISON, Comparison
from yarddial.session.listening.reception_check import STEPS
from yarddial.session.session import Session
from yarddial.yard.demo import VIA_HEARTH, VIA_LADDER
from yarddial.yard.station import Reference


@pytest.fixture
def listening(session: Session) -> Session:
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    return session


def compared_gains(session: Session, less_db: float) -> Comparison:
    """The gain as it is against one that is kept, less_db lower."""
    own, stage = session.comparison, session.levels.stages[0]
    session.levels.set_gain("gain", stage.set_db - less_db)
    own.keep()
    session.levels.set_gain("gain", stage.set_db)
    now = own.setups()[0]
    kept = next(
        one
        for one in own.setups()
        if "gain" in one.label and one.route.receiver.gains_db() != now.route.receiver.gains_db()
    )
    own.start(now, kept)
    return own


def half_db(found: Difference) -> float:
    return (found.high_db - found.low_db) / 2


def test_two_gains_differ_by_their_steps_in_level_and_hardly_in_what_is_heard(
    listening: Session, monkeypatch: pytest.MonkeyPatch
) -> None:
    # At this rate the converter's own noise, which does not follow the gain, still counts for little.
    set_rate(listening, 2.048e6)
    monkeypatch.setattr("yarddial.session.listening.comparison.PAIRS_A_COMPARISON", PAIRS_A_COMPARISON // 2)
    own = compared_gains(listening, 25.5 - 19.4)
    assert own.why_not(*own.setups()[:2]) == "a comparison is under way"
    until(listening, lambda: not own.running)
    assert (own.trouble, len(own.pairs)) == ("", PAIRS_A_COMPARISON // 2)
    found = own.compared()
    assert found is not None
    assert not found.in_dbm
    # Northmark Time fades slowly; both see the same fading, and the step is 6.1 dB by the receiver's table.
    assert found.signal.low_db - 0.1 <= -6.1 <= found.signal.high_db + 0.1
    assert half_db(found.signal) < 1.0
    assert abs(found.over.db) < 1.0
    entry = listening.log.shown()[0]
    assert entry.kind == "comparison"
    assert "19 of 20" in entry.text
    # The receiver is Listen's again.
    until(listening, lambda: listening.listening.level_dbfs is not None)
    assert listening.jobs.tuner is listening.listening.lease


@pytest.mark.double_rate
def test_calibrated_set_ups_are_compared_in_dbm_at_their_sockets(listening: Session) -> None:
    until(listening, lambda: listening.listening.level_dbfs is not None)
    listening.listening.calibrate("-70 dBm")
    own = compared_gains(listening, 25.5 - 19.4)
    until(listening, lambda: len(own.pairs) >= 8)
    own.cancel()
    found = own.compared()
    assert found is not None
    assert found.in_dbm
    # The same antenna at the same socket: no difference but what the gain step may err by.
    assert abs(found.signal.db) < half_db(found.signal)
    # One step of half a decibel, one sigma, is in the range of the levels whatever the number of pairs.
    assert half_db(found.signal) > 1.96 * 0.5
    assert half_db(found.over) < half_db(found.signal)


def test_routes_to_two_receivers_are_compared_in_turn(listening: Session) -> None:
    own = listening.comparison
    labels = {setup.route.name: setup for setup in own.setups()}
    own.start(labels[VIA_LADDER], labels[VIA_HEARTH])
    until(listening, lambda: len(own.pairs) >= 7)
    assert own.running
    names = {pair.second_signal > 0 for pair in own.pairs}
    assert names == {True}
    listening.desk.dial(14.2e6)
    until(listening, lambda: not own.running)
    assert own.trouble == "the dial was turned meanwhile"


def test_what_cannot_be_compared_is_said(session: Session) -> None:
    own = session.comparison
    first = own.setups()[0]
    assert "choose two set-ups" in own.why_not(first, first)
    assert "Space starts it" in own.why_not(first, own.setups()[1])
    own.start(first, own.setups()[1])
    assert not own.running


@pytest.mark.wide
def test_the_proof_goes_from_strong_broadcast_to_hf_one_change_at_a_time(listening: Session) -> None:
    own = listening.reception_check
    own.start()
    assert own.running
    until(listening, lambda: not own.running, 200_000)
    results = {result.step.name: result for result in own.results}
    assert list(results) == [step.name for step in STEPS]
    # Harbour 96 fills Finch at the gain that HF asks for.
    assert results["strong broadcast"].mark == "look"
    assert "lower the gain" in results["strong broadcast"].sentence
    assert [results[name].mark for name in ("narrow FM", "AM", "HF")] == ["good"] * 3
    # The route was turned for HF, as its step says.
    assert listening.desk.route.name == VIA_LADDER


@pytest.fixture
def short_search(monkeypatch: pytest.MonkeyPatch) -> None:
    """Search three megahertz for the strong broadcast, and not all of its band."""
    first = msgspec.structs.replace(STEPS[0], low_hz=95e6, high_hz=98e6)
    monkeypatch.setattr("yarddial.session.listening.reception_check.STEPS", (first, *STEPS[1:]))


@pytest.mark.wide
@pytest.mark.usefixtures("short_search")
def test_with_less_gain_the_strong_broadcast_is_heard_with_its_pilot(listening: Session) -> None:
    listening.levels.set_gain("gain", 9.1)
    listening.reception_check.start()
    until(listening, lambda: bool(listening.reception_check.results))
    result = listening.reception_check.results[0]
    assert result.mark == "good"
    assert "96.200" in result.sentence
    assert "stereo pilot" in result.sentence
    listening.reception_check.cancel()
    assert not listening.reception_check.running


@pytest.mark.wide
def test_a_dead_port_fails_at_the_first_step_and_says_so(session: Session) -> None:
    station = session.desk.station
    finch = station.part("Finch")
    session.desk.edit(
        "device", station.with_part(msgspec.structs.replace(finch, device="simulated:finch?fault=dead_port"))
    )
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    session.reception_check.start()
    until(session, lambda: not session.reception_check.running, 200_000)
    assert [result.mark for result in session.reception_check.results] == ["stop"]
    assert "connected" in session.reception_check.results[0].sentence


def test_a_station_beside_its_place_asks_for_truing(listening: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    """A made-up reference 12 kHz beside Northmark Time, narrow: silent, but a line stands beside it."""
    monkeypatch.setattr("yarddial.session.listening.reception_check.STEPS", STEPS[-1:])
    wrong = Reference("Misprint", 9.988e6, 0.3, "standard frequency", "am")
    station = listening.desk.station
    listening.desk.edit("reference", msgspec.structs.replace(station, references=(wrong,)))
    listening.listening.zoom(+1)
    listening.reception_check.start()
    until(listening, lambda: not listening.reception_check.running, 200_000)
    hf = listening.reception_check.results[-1]
    assert hf.mark == "look"
    assert "true the dial" in hf.sentence


def test_over_noise_alone_nothing_is_better_and_the_nearest_station_is_offered(listening: Session) -> None:
    session = listening
    session.desk.dial(13.37e6)
    first, second = session.comparison.setups()[:2]
    session.comparison.start(first, second)
    until(session, lambda: len(session.comparison.pairs) >= 12)
    session.comparison.cancel()
    compared = session.comparison.compared()
    assert compared is not None
    assert compared.over.verdict == "no signal"
    near = session.comparison.nearest()
    assert near is not None
    assert near.name == "Northmark Time"
    assert not [entry for entry in session.log.shown() if entry.kind == "comparison"]
