"""Leaving one engine for another: whoever waits gets an answer, and what can go on goes on."""

import pytest

from tunings import SOME_TUNING
from yarddial.distance.engine_switch import LEAVE_S, EngineSwitch
from yarddial.engine.commands import Command, Hear, Measure, RecordSamples, Show, Start, Stop
from yarddial.engine.events import Event, NotMeasured, RecordingState, Started, Stopped
from yarddial.yard import clock
from yarddial.yard.demodulation import DEMODULATIONS

HEAR = Hear(1e6, DEMODULATIONS["am"].settings(), job=5, id=50)
RECORD = RecordSamples("/tmp/r", 1e6, 8, False, {}, job=7, id=70)


class Wire:
    """An engine that says what it is told to say."""

    def __init__(self) -> None:
        self.sent: list[Command] = []
        self.says: list[Event] = []

    def send(self, command: Command) -> None:
        self.sent.append(command)

    def poll(self) -> list[Event]:
        said, self.says = self.says, []
        return said

    def warm(self) -> None:
        pass

    def close(self) -> None:
        pass


@pytest.fixture
def here() -> Wire:
    return Wire()


@pytest.fixture
def far() -> Wire:
    return Wire()


@pytest.fixture
def switch(here: Wire, far: Wire) -> EngineSwitch:
    made = EngineSwitch(here, lambda name: far if name == "shed" else None)  # type: ignore[arg-type, return-value]
    made.send(Start("simulated:finch"))
    made.send(Show(1, 1e3, 10, 0.1))
    made.send(HEAR)
    made.send(RECORD)
    made.send(Start("far:shed/simulated:finch"))
    return made


def test_a_recording_of_the_engine_that_is_left_ends_with_its_own_word(switch: EngineSwitch, here: Wire) -> None:
    assert here.sent[-1] == Stop()
    whole = RecordingState("/tmp/r", 3.0, True, tuning=SOME_TUNING, job=7, id=70)
    here.says = [whole, Stopped("")]
    # Its own end is no end of the receiver that runs now.
    assert switch.poll() == [whole]
    assert switch.poll() == []


def test_what_the_engine_that_is_left_never_answers_is_answered_for_it(
    switch: EngineSwitch, here: Wire, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert switch.poll() == []
    now_s = clock.monotonic_s()
    monkeypatch.setattr(clock, "monotonic_s", lambda: now_s + LEAVE_S + 1.0)
    (ended,) = switch.poll()
    assert isinstance(ended, RecordingState)
    assert (ended.job, ended.id, ended.is_done) == (7, 70, True)
    assert "another receiver was started" in ended.trouble
    assert switch.poll() == []


def test_what_is_heard_and_drawn_is_asked_for_again_where_the_session_goes(switch: EngineSwitch, far: Wire) -> None:
    assert far.sent == [Start("simulated:finch"), Show(1, 1e3, 10, 0.1), HEAR]


def test_answers_of_the_engine_in_use_pass_and_settle_what_is_owed(switch: EngineSwitch, far: Wire, here: Wire) -> None:
    here.says = [Stopped("")]
    switch.poll()
    switch.send(Measure(1.0, 100.0, job=9, id=90))
    answer = NotMeasured("nothing stands out", True, SOME_TUNING, job=9, id=90)
    far.says = [Started("Finch", True), answer]
    assert switch.poll() == [Started("Finch", True), answer]
    switch.send(Start("simulated:finch"))
    far.says = [Stopped("")]
    # Nothing is owed any more.
    assert switch.poll() == []


def test_coming_back_before_the_first_engine_has_stopped_does_not_stop_it(
    switch: EngineSwitch, here: Wire, far: Wire
) -> None:
    switch.send(Start("simulated:finch"))
    here.says = [Stopped(""), Started("Finch", True)]
    events = switch.poll()
    assert Started("Finch", True) in events
    assert not any(isinstance(event, Stopped) for event in events)
