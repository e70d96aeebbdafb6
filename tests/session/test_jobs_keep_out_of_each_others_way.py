"""What one activity once did to another, seen by running them: none of it happens any more."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from job_yard import JobYard
from tunings import SOME_TUNING
from yarddial.engine.events import SweepPoint
from yarddial.session.listening.verdict import listen_verdict


@pytest.fixture
def yard(tmp_path: Path) -> Iterator[JobYard]:
    made = JobYard(tmp_path)
    yield made
    made.session.close()


def test_a_ghost_test_during_a_sweep_is_refused_and_escape_ends_the_sweep(yard: JobYard) -> None:
    session = yard.session
    yard.begin("gain_sweep")
    assert session.span_test.why_not() == "a sweep is under way"
    session.span_test.test()
    assert not session.span_test.running
    yard.polls(200)
    assert session.levels.fraction is not None
    session.jobs.cancel_all()
    assert session.levels.fraction is None
    assert session.levels.why_not_sweep() == ""


def test_listen_opened_during_a_sweep_waits_and_leaves_every_gain_alone(yard: JobYard) -> None:
    session, begun = yard.session, len(yard.applied)
    yard.begin("gain_sweep")
    yard.polls(100)
    session.listening.open()
    assert session.listening.waits_for == "a gain sweep"
    verdict = listen_verdict(session.listening, session.live_receiver, session.desk)
    assert verdict.sentence == "Listen waits: a gain sweep has the receiver."
    while session.levels.fraction is not None:
        session.poll()
    steps_db = session.levels.stages[0].steps_db
    swept_db = [dict(ask.gains_db)["gain"] for _, ask in yard.applied[begun:]]
    assert swept_db[: len(steps_db)] == list(steps_db)
    assert [point.gain_db for point in session.levels.steps] == list(steps_db)
    yard.polls(60)
    assert session.listening.waits_for == ""
    assert session.listening.level_dbfs is not None


def test_after_prove_all_listen_that_was_opened_meanwhile_hears_and_follows_the_dial(yard: JobYard) -> None:
    session = yard.session
    yard.begin("band_run")
    yard.polls(20)
    session.listening.open()
    yard.polls(20)
    session.band_run.cancel()
    yard.polls(60)
    assert session.jobs.tuner is session.listening.lease
    assert session.listening.level_dbfs is not None
    session.desk.dial(session.desk.station.dial_hz + 700e3)
    assert session.listening.chart_hz == pytest.approx(session.desk.station.dial_hz, abs=1e4)
    assert session.live_receiver.tuner.requested is not None
    assert session.live_receiver.tuner.requested.job == session.listening.lease.id  # type: ignore[union-attr]


def test_a_holder_that_is_gone_never_comes_back(yard: JobYard) -> None:
    session = yard.session
    session.listening.open()
    yard.polls(10)
    session.span_test.test()
    session.listening.close()
    session.span_test.cancel()
    yard.polls(10)
    assert session.jobs.tuner is None
    assert session.calibration.why_not_measure() == ""


def test_a_comparison_never_ends_a_measurement_or_a_watch(yard: JobYard) -> None:
    session = yard.session
    for begin, goes_on in (
        ("measurement", lambda: session.calibration.measuring is not None),
        ("carrier_watch", lambda: session.carrier_watch.running),
    ):
        yard.begin(begin)
        yard.polls(20)
        first, second = session.comparison.setups()[:2]
        assert session.comparison.why_not(first, second)
        session.comparison.start(first, second)
        yard.polls(20)
        assert goes_on()
        assert not session.comparison.running
        session.jobs.cancel_all()


def test_no_gain_is_stepped_inside_a_measurement(yard: JobYard) -> None:
    session = yard.session
    yard.begin("measurement")
    yard.polls(10)
    applied = len(yard.applied)
    assert session.levels.why_not_sweep() == "a measurement is under way"
    yard.begin("gain_sweep")
    yard.begin("level_glance")
    yard.polls(100)
    assert len(yard.applied) == applied


def test_levels_opened_beside_the_proof_of_all_bands_holds_nothing_up(yard: JobYard) -> None:
    """It looked at the levels again and again, and the proof made no step in thousands of polls."""
    session = yard.session
    yard.begin("band_run")
    for _ in range(6_000):
        session.levels.weigh()
        session.poll()
        if "2 of" in session.band_run.doing:
            return
    raise AssertionError(f"still at {session.band_run.doing}")


@pytest.mark.parametrize("name", ["tone", "raster", "pilot", "lo_leak_scan", "comparison", "carrier_watch", "band_run"])
def test_escape_ends_whatever_is_under_way(yard: JobYard, name: str) -> None:
    yard.begin(name)
    assert yard.under_way()
    yard.session.jobs.cancel_all()
    assert yard.under_way() == []


def test_an_answer_that_comes_too_late_is_nobodys(yard: JobYard) -> None:
    session = yard.session
    yard.begin("gain_sweep")
    late = session.jobs.leases[-1]
    yard.polls(30)
    session.levels.cancel()
    yard.begin("gain_sweep")
    point = SweepPoint(
        gains_db=(("gain", 1.0),), floor_dbfs_hz=-100.0, channel_dbfs=-50.0, width_hz=9e3, clipped_share=0.0,
        fraction=0.5, tuning=SOME_TUNING, job=late.id, id=1,
    )  # fmt: skip
    before = len(session.levels.steps)
    session.jobs._pass_on(point)
    assert len(session.levels.steps) == before


def test_the_dial_that_is_turned_ends_what_it_makes_useless_and_says_so(yard: JobYard) -> None:
    session = yard.session
    session.span_test.test()
    yard.polls(5)
    session.desk.dial(5e6)
    assert not session.span_test.running
    assert "dial was turned" in session.span_test.trouble
    kind, ending = session.jobs.history[-1]
    assert (kind.name, ending.how) == ("span_test", "stale")


def test_first_light_gives_the_receiver_back_running(yard: JobYard) -> None:
    session = yard.session
    yard.begin("device_check")
    yard.polls(3)
    assert not session.live_receiver.wanted
    assert "checks are being made" in session.calibration.why_not_measure()
    session.device_check.cancel()
    assert session.live_receiver.wanted
    assert yard.has_come_back() == []


def test_a_fault_in_one_jobs_work_ends_that_job_with_a_reason_and_the_receiver_goes_on(
    yard: JobYard, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = yard.session

    def broken(*_: object) -> bool:
        raise ZeroDivisionError

    monkeypatch.setattr("yarddial.engine.taps.gain_sweep.GainSweep.push", broken)
    yard.begin("gain_sweep")
    yard.polls(60)
    assert session.levels.fraction is None
    assert "gain_sweep" not in yard.under_way()
    assert session.live_receiver.is_tuned
    # The next job has the receiver as if nothing had been.
    assert session.levels.why_not_sweep() == ""
