"""The hunt through the engine: looks on demand, the place held, the whole of it logged once."""

import pytest

from yarddial.session.session import Session


@pytest.fixture
def hunting(session: Session) -> Session:
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    return session


def record(session: Session) -> None:
    session.interference_search.record()
    while session.interference_search.running:
        session.poll()


@pytest.mark.double_rate
def test_a_hunt_goes_step_by_step_and_is_logged_when_it_is_over(hunting: Session) -> None:
    search = hunting.interference_search
    assert "circuits" in search.why_not()
    search.begin(("kitchen",), can_choke=False)
    while search.step is not None:
        record(hunting)
        assert search.trouble == ""
    assert search.search is not None
    # Nobody took the antenna off: it is as noisy without, and that is said, and no one is accused.
    assert search.verdict is not None
    assert (search.verdict.state, search.verdict.culprit) == ("left open", "")
    (entry,) = hunting.log.entries("hunt", hunting.desk.station.name)
    assert "without the antenna" in entry.text
    assert len(entry.data.steps) == len(search.search.results)  # type: ignore[union-attr]


def test_a_turned_dial_a_stopped_receiver_and_a_cancel_end_a_look_with_a_reason(hunting: Session) -> None:
    search = hunting.interference_search
    search.begin(("kitchen",))
    search.record()
    assert search.running
    search.cancel()
    assert (search.running, search.trouble) == (False, "cancelled")
    hunting.desk.dial(10.02e6)
    assert "go back there" in search.why_not()
    search.begin(("kitchen",))
    search.record()
    hunting.toggle_receiver()
    while search.running:
        hunting.poll()
    assert search.trouble
    assert "Space" in search.why_not()
