"""The noise floor each minute: beside listening, never in the way, and a minute without a reading says why."""

from pathlib import Path

import pytest

from job_yard import JobYard
from yarddial.records.log_data import LoggedNoise
from yarddial.session.levels.noise_watch import PERIOD_S
from yarddial.session.session import Session
from yarddial.yard import clock


class Hours:
    """A clock that is turned by hand."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self._now_s = clock.monotonic_s()
        monkeypatch.setattr(clock, "monotonic_s", lambda: self._now_s)

    def turn(self, session: Session, seconds_s: float, polls: int = 120) -> None:
        """Some time passes, and the session goes on."""
        self._now_s += seconds_s
        for _ in range(polls):
            session.poll()


@pytest.fixture
def yard(tmp_path: Path) -> JobYard:
    return JobYard(tmp_path)


@pytest.fixture
def hours(monkeypatch: pytest.MonkeyPatch) -> Hours:
    return Hours(monkeypatch)


def test_it_reads_each_minute_beside_listening_and_is_logged_when_it_is_stopped(yard: JobYard, hours: Hours) -> None:
    session, watch = yard.session, yard.session.noise_watch
    session.listening.open()
    watch.start()
    set_before = len(yard.applied)
    hours.turn(session, 0.0)
    # One reading has no range.
    assert "first reading" in watch.sentence()
    for _ in range(4):
        hours.turn(session, PERIOD_S)
    assert [reading.at_s for reading in watch.readings] == pytest.approx([0.0, 60.0, 120.0, 180.0, 240.0])
    assert session.listening.is_open
    assert not session.listening.waits_for
    # It tunes nothing and sets no gain.
    assert len(yard.applied) == set_before
    # Noise of 0.02 in each half, one sigma: 8e-4 of full scale over the whole rate.
    rate_hz = session.desk.route.receiver.rate_hz
    from math import log10

    for reading in watch.readings:
        assert reading.floor == pytest.approx(10 * log10(2 * 0.02**2 / rate_hz), abs=1.0)
    assert watch.sentence().startswith("Noise ")
    watch.stop()
    entry = session.log.entries("noise")[0]
    assert isinstance(entry.data, LoggedNoise)
    assert len(entry.data.readings) == 5
    assert not watch.running


def test_a_minute_in_which_somebody_works_has_no_reading_and_says_who(yard: JobYard, hours: Hours) -> None:
    session, watch = yard.session, yard.session.noise_watch
    watch.start()
    hours.turn(session, 0.0)
    yard.begin("carrier_watch")
    hours.turn(session, PERIOD_S, 5)
    session.jobs.cancel_all()
    hours.turn(session, PERIOD_S)
    assert [reading.floor is None for reading in watch.readings] == [False, True, False]
    assert "the watch of a carrier has the receiver" in watch.readings[1].why_not
    watch.stop()


def test_with_the_receiver_off_the_minutes_are_left_empty_and_it_goes_on_when_it_is_on(
    yard: JobYard, hours: Hours
) -> None:
    session, watch = yard.session, yard.session.noise_watch
    watch.start()
    # Stopped in the midst of the first reading.
    hours.turn(session, 0.0, 2)
    session.toggle_receiver()
    yard.polls(3)
    hours.turn(session, 3 * PERIOD_S, 5)
    session.toggle_receiver()
    yard.settle()
    hours.turn(session, PERIOD_S)
    assert [reading.why_not for reading in watch.readings] == ["the receiver stopped", "the receiver is off", ""]
    # Three minutes passed at once: one reading is owed for them, not three.
    assert [reading.at_s for reading in watch.readings] == pytest.approx([0.0, 180.0, 240.0])
    watch.stop()
