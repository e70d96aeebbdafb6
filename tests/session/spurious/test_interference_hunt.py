"""The hunt through the engine: looks on demand, the place held, the whole of it logged once."""

import pytest

from yarddial.session.session import Session


@pytest.fixture
def hunting(session: Session) -> Session:
    session.toggle_receiver()
    while not session.live_receiver.is_tuned:
        session.poll()
    return session


def look(session: Session) -> None:
    session.interference_hunt.look()
    while session.interference_hunt.running:
        session.poll()


def test_a_hunt_goes_step_by_step_and_is_logged_when_it_is_over(hunting: Session) -> None:
    hunt = hunting.interference_hunt
    assert "circuits" in hunt.why_not()
    hunt.begin(("kitchen",), can_choke=False)
    while hunt.step is not None:
        look(hunting)
        assert hunt.trouble == ""
    assert hunt.hunt is not None
    # Nobody took the antenna off: it is as noisy without, and that is said, and no one is accused.
    assert hunt.verdict is not None
    assert (hunt.verdict.state, hunt.verdict.culprit) == ("left open", "")
    (entry,) = hunting.log.entries("hunt", hunting.desk.station.name)
    assert "without the antenna" in entry.text
    assert len(entry.data.steps) == len(hunt.hunt.results)  # type: ignore[union-attr]


def test_a_turned_dial_a_stopped_receiver_and_a_cancel_end_a_look_with_a_reason(hunting: Session) -> None:
    hunt = hunting.interference_hunt
    hunt.begin(("kitchen",))
    hunt.look()
    assert hunt.running
    hunt.cancel()
    assert (hunt.running, hunt.trouble) == (False, "cancelled")
    hunting.desk.dial(10.02e6)
    assert "go back there" in hunt.why_not()
    hunt.begin(("kitchen",))
    hunt.look()
    hunting.toggle_receiver()
    while hunt.running:
        hunting.poll()
    assert hunt.trouble
    assert "Space" in hunt.why_not()
