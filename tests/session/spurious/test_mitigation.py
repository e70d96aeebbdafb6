"""A ghost cured: planned from what was seen, tried on the simulated receiver, kept in the yard, taken back."""

from collections.abc import Iterator

import pytest

from slow_yards import wide_station
from waiting import run_span_test, tell_truth, until
from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.parts import Receiver, TwoPort

TOWER_HZ = 4.3525e6


@pytest.fixture(scope="module")
def tested(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Session]:
    """Trued, and the span around the tower that passes the converter tested: once for all tests here."""
    log = tmp_path_factory.mktemp("curing") / "log.sqlite"
    session = Session(wide_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(log))
    tell_truth(session, 10e6, 145.2e6)
    session.calibration.apply()
    session.desk.choose_mode("am")
    run_span_test(session, TOWER_HZ)
    yield session
    session.close()


@pytest.fixture
def haunted(tested: Session) -> Session:
    """The tower on the dial; what to do against it is worked out."""
    if tested.desk.station.dial_hz != TOWER_HZ or not tested.span_test.judged:
        run_span_test(tested, TOWER_HZ)
    if (request := tested.mitigation.needed()) is not None:
        tested.mitigation.take_plan(request, request.plan())
    until(tested, lambda: tested.span_test.why_not() == "")
    return tested


def tried(session: Session, kind: str) -> None:
    remedies = session.mitigation.remedies
    assert remedies is not None
    one = next(remedy for remedy in remedies if remedy.kind == kind)
    assert session.mitigation.why_not_try(one) == ""
    session.mitigation.try_it(one)
    until(session, lambda: not session.mitigation.running)
    assert session.mitigation.trouble == ""


@pytest.mark.parametrize("kind", ["filter", "oscillator", "route"])
def test_a_tower_through_the_converter_is_taken_away_as_was_predicted(haunted: Session, kind: str) -> None:
    tried(haunted, kind)
    trial = haunted.mitigation.trial
    assert trial is not None
    assert trial.over_before_db > 20.0
    assert trial.verdict == "good"
    assert "clean" in trial.sentence


def test_nothing_that_cannot_help_is_proposed(haunted: Session) -> None:
    """What passes unconverted falls like a true signal and stays where it is, whatever the centre and the rate."""
    assert haunted.mitigation.remedies is not None
    assert not {r.kind for r in haunted.mitigation.remedies} & {"centre", "rate", "gain", "attenuator"}


def test_a_filter_that_is_kept_stands_in_the_yard_and_in_the_log_and_can_be_taken_back(haunted: Session) -> None:
    session = haunted
    tried(session, "filter")
    session.mitigation.keep()
    line = session.desk.route
    assert isinstance(line.inner[0], TwoPort)
    assert line.inner[0].shape == "low-pass"
    assert TOWER_HZ < line.inner[0].high_hz < 124e6
    assert "plug=ladder:low-pass" in line.receiver.device
    assert session.log.shown()[0].kind == "remedy"
    assert session.mitigation.remedies is None
    # The ghost that was judged is of the yard without the filter.
    assert session.span_test.judged == ()
    assert session.mitigation.needed() is None
    session.undo()
    assert line.inner[0].name not in {part.name for part in session.desk.station.parts}
    assert "plug" not in session.desk.route.receiver.device


def test_another_converter_is_a_part_of_its_own_that_nothing_was_measured_of(haunted: Session) -> None:
    session = haunted
    tried(session, "oscillator")
    trial = session.mitigation.trial
    assert trial is not None
    session.mitigation.keep()
    (converter,) = session.desk.route.converters
    assert converter.lo_hz.value == trial.remedy.lo_hz
    assert converter.entered_lo_hz == trial.remedy.lo_hz
    assert "lo=" in session.desk.route.receiver.device
    # The error that the other one was found to have is no longer counted; its uncertainty is that of the class.
    assert session.calibration.state().sigma_hz > 100.0
    assert session.desk.station.part("Ladder")
    session.undo()
    assert session.desk.route.converters[0].name == "Ladder"


def test_a_real_receiver_cannot_be_given_a_filter_by_a_click(haunted: Session) -> None:
    session = haunted
    finch = session.desk.station.part("Finch")
    assert isinstance(finch, Receiver)
    remedies = {remedy.kind: remedy for remedy in session.mitigation.remedies or ()}
    session.live_receiver.plays = "recording:somewhere"
    assert "recording" in session.mitigation.why_not_try(remedies["filter"])
    session.live_receiver.plays = ""
    session.desk.dial(10e6)
    assert not session.mitigation.is_current
    assert session.mitigation.needed() is None


def test_a_plan_for_what_is_no_longer_on_the_dial_is_dropped(haunted: Session) -> None:
    session = haunted
    old = session.mitigation.request
    assert old is not None
    assert session.mitigation.needed() is None
    run_span_test(session, TOWER_HZ)
    fresh = session.mitigation.needed()
    assert fresh is not None
    session.mitigation.take_plan(old, ())
    assert session.mitigation.remedies is None
    session.mitigation.refuse_plan(fresh, "too many signals")
    assert session.mitigation.remedies == ()
    assert session.mitigation.trouble == "too many signals"
