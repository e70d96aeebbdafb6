"""The span tested with the simulated receiver: what is true, what is not, and what it leaves behind."""

import msgspec
import pytest

from waiting import run_span_test, set_rate, tell_truth, until
from yarddial.session.finding import GoTo
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.session.spurious.verdict import ghosts_verdict


@pytest.fixture
def trued(session: Session) -> Session:
    """Both oscillators measured and entered; at a rate at which no alias of the tower falls beside it."""
    set_rate(session, 1.024e6)
    tell_truth(session, 10e6, 145.2e6)
    session.calibration.apply()
    return session


def test_a_standard_is_true_and_a_tower_through_the_converter_is_not(trued: Session) -> None:
    session = trued
    run_span_test(session, 10e6)
    here = session.span_test.at_dial()
    assert here is not None
    assert here.judgement.verdict == "true"
    assert {"centre", "gain", "rate", "route"} <= set(session.span_test.changes)
    assert "really there" in ghosts_verdict(session.span_test, session.desk).sentence
    before = session.live_receiver.tuner.requested
    run_span_test(session, 4.3525e6)
    here = session.span_test.at_dial()
    assert here is not None
    assert here.judgement.verdict == "ghost"
    assert "leak-through" in {cause.kind for cause in here.judgement.likely}
    assert ghosts_verdict(session.span_test, session.desk).mark == "stop"
    # What is wrong in a place is said along the bottom too, the worst first.
    worst = findings(session)[0]
    assert (worst.mark, worst.fix) == ("stop", GoTo("Ghosts"))
    assert worst.what == "Ghosts: what stands at 4.352\u202f5 MHz is a ghost"
    assert session.log.shown()[0].kind == "ghosts"
    # The receiver looks where the dial stands again, with its own gain and rate.
    session.desk.dial(10e6)
    until(session, lambda: session.live_receiver.is_tuned)
    assert before is not None
    assert session.live_receiver.tuning is not None
    assert session.live_receiver.tuning.requested == before.requested


def test_the_spike_at_the_centre_is_known_for_what_it_is(trued: Session) -> None:
    run_span_test(trued, 10e6)
    spikes = [j for j in trued.span_test.judged if j.judgement.best.kind == "spike"]
    assert len(spikes) == 1
    assert trued.span_test.before is not None
    assert spikes[0].peak.dial_hz == pytest.approx(trued.span_test.before.centre_hz, abs=1_000.0)


def test_turning_the_dial_or_stopping_ends_a_test_and_nothing_else_measures_meanwhile(session: Session) -> None:
    assert "off" in session.span_test.why_not()
    session.live_receiver.start(session.desk.route)
    session.calibration.follow_dial()
    until(session, lambda: session.span_test.why_not() == "")
    session.span_test.test()
    assert "tested" in session.calibration.why_not_measure()
    session.poll()
    session.desk.dial(5e6)
    until(session, lambda: not session.span_test.running)
    assert "dial was turned" in session.span_test.trouble
    session.span_test.test()
    session.span_test.cancel()
    assert session.span_test.trouble == "cancelled"
    assert not session.jobs.leases


@pytest.mark.double_rate
def test_without_the_antenna_what_the_receiver_makes_stays_and_what_leaks_through_goes(trued: Session) -> None:
    session = trued
    assert session.span_test.why_not_without() == "test the span first"
    run_span_test(session, 4.3525e6)
    here = session.span_test.at_dial()
    assert here is not None
    assert {cause.kind for cause in here.judgement.likely} == {"leak-through", "oscillator"}
    # The stand-in for an antenna taken off: a port with nothing behind it.
    finch = session.desk.station.part("Finch")
    bare = msgspec.structs.replace(finch, device="simulated:finch?fault=dead_port")
    session.span_test._first = msgspec.structs.replace(
        session.span_test._first,
        route=session.desk.station.with_part(bare).resolve(session.desk.route.name).at(4.3525e6),
    )
    session.span_test.record_without_antenna()
    until(session, lambda: not session.span_test.running)
    assert "antenna" in session.span_test.changes
    here = session.span_test.at_dial()
    assert here is not None
    assert here.judgement.verdict == "ghost"
    assert here.judgement.best.kind == "leak-through"
    assert here.judgement.odds[0][1] > 0.9


@pytest.mark.wide
def test_a_look_with_the_antenna_still_on_does_not_count(trued: Session) -> None:
    session = trued
    run_span_test(session, 10e6)
    before = session.span_test.judged
    assert sum(judged.judgement.verdict == "true" for judged in before) >= 2
    session.span_test.record_without_antenna()
    until(session, lambda: not session.span_test.running)
    assert session.span_test.not_off.startswith("the antenna is not off")
    assert "antenna" not in session.span_test.changes
    assert [j.judgement.verdict for j in session.span_test.judged] == [j.judgement.verdict for j in before]
