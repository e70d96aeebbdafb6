"""The span tested with the simulated receiver: what is true, what is not, and what it leaves behind."""

import msgspec
import pytest

from waiting import set_rate, until
from yarddial.session.findings import findings
from yarddial.session.session import Session
from yarddial.session.verdicts.of_ghosts import ghosts_verdict


@pytest.fixture
def trued(session: Session) -> Session:
    """Both oscillators measured and entered; at a rate at which no alias of the tower falls beside it."""
    set_rate(session, 2.048e6)
    for dial_hz in (10e6, 145.2e6):
        session.desk.dial(dial_hz)
        session.truing.measure()
        until(session, lambda: session.truing.measuring is None)
    session.truing.apply()
    return session


def run_test(session: Session, dial_hz: float) -> None:
    session.desk.dial(dial_hz)
    until(session, lambda: session.ghosting.why_not() == "")
    session.ghosting.test()
    until(session, lambda: not session.ghosting.running)
    assert session.ghosting.trouble == ""


def test_a_standard_is_true_and_a_tower_through_the_converter_is_not(trued: Session) -> None:
    session = trued
    run_test(session, 10e6)
    here = session.ghosting.at_dial()
    assert here is not None
    assert here.judgement.verdict == "true"
    assert {"centre", "gain", "rate", "route"} <= set(session.ghosting.changes)
    assert "really there" in ghosts_verdict(session.ghosting, session.desk).sentence
    before = session.reception.look
    run_test(session, 4.3525e6)
    here = session.ghosting.at_dial()
    assert here is not None
    assert here.judgement.verdict == "ghost"
    assert "leak-through" in {cause.kind for cause in here.judgement.likely}
    assert ghosts_verdict(session.ghosting, session.desk).mark == "stop"
    # What is wrong in a place is said along the bottom too, the worst first.
    worst = findings(session)[0]
    assert (worst.mark, worst.fix) == ("stop", "go_ghosts")
    assert worst.what == "Ghosts: what stands at 4.352\u202f5 MHz is a ghost"
    assert session.log.shown()[0].kind == "ghosts"
    # The receiver looks where the dial stands again, with its own gain and rate.
    session.desk.dial(10e6)
    until(session, lambda: session.reception.is_looking)
    assert before is not None
    assert session.reception.look is not None
    assert session.reception.look.ask == before.ask


def test_the_spike_at_the_centre_is_known_for_what_it_is(trued: Session) -> None:
    run_test(trued, 10e6)
    spikes = [j for j in trued.ghosting.judged if j.judgement.best.kind == "spike"]
    assert len(spikes) == 1
    assert trued.ghosting.before is not None
    assert spikes[0].peak.dial_hz == pytest.approx(trued.ghosting.before.centre_hz, abs=1_000.0)


def test_turning_the_dial_or_stopping_ends_a_test_and_nothing_else_measures_meanwhile(session: Session) -> None:
    assert "off" in session.ghosting.why_not()
    session.reception.start(session.desk.line)
    session.truing.follow_dial()
    until(session, lambda: session.ghosting.why_not() == "")
    session.ghosting.test()
    assert "tested" in session.truing.why_not_measure()
    session.poll()
    session.desk.dial(5e6)
    until(session, lambda: not session.ghosting.running)
    assert "dial was turned" in session.ghosting.trouble
    session.ghosting.test()
    session.ghosting.cancel()
    assert session.ghosting.trouble == "cancelled"
    assert session.truing.occupied == ""
    assert session.reception.held_by is None


def test_without_the_antenna_what_the_receiver_makes_stays_and_what_leaks_through_goes(trued: Session) -> None:
    session = trued
    assert session.ghosting.why_not_without() == "test the span first"
    run_test(session, 4.3525e6)
    here = session.ghosting.at_dial()
    assert here is not None
    assert {cause.kind for cause in here.judgement.likely} == {"leak-through", "oscillator"}
    # The stand-in for an antenna taken off: a port with nothing behind it.
    finch = session.desk.station.part("Finch")
    bare = msgspec.structs.replace(finch, device="simulated:finch?fault=dead_port")
    session.ghosting._first = msgspec.structs.replace(
        session.ghosting._first,
        line=session.desk.station.with_part(bare).line(session.desk.line.name).at(4.3525e6),
    )
    session.ghosting.look_without_antenna()
    until(session, lambda: not session.ghosting.running)
    assert "antenna" in session.ghosting.changes
    here = session.ghosting.at_dial()
    assert here is not None
    assert here.judgement.verdict == "ghost"
    assert here.judgement.best.kind == "leak-through"
    assert here.judgement.odds[0][1] > 0.9
