"""What fails where nobody foresaw it: told, logged, and the window lives."""

import threading
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from faults import Thrower
from job_yard import JobYard
from yarddial.engine.events import Stopped
from yarddial.session.background import Background
from yarddial.session.listeners import Listeners
from yarddial.session.station.saving import BackgroundSave
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import NotWritten


@pytest.fixture
def thrower(tmp_path: Path, qtbot: QtBot) -> Thrower:
    made = Thrower(tmp_path, seed=3)
    qtbot.addWidget(made.window)
    return made


def test_faults_anywhere_are_told_and_logged_and_the_next_action_works(thrower: Thrower) -> None:
    assert thrower.throw(30) == 0
    assert set(thrower.counts) == {"listener", "job", "background", "worker", "saver", "engine"}
    thrower.close()


def test_one_listener_that_fails_keeps_nobody_else_from_hearing() -> None:
    heard: list[int] = []
    listeners = Listeners()
    listeners.add(lambda: heard.append(1))
    listeners.add(lambda: heard.append(1 // 0))
    listeners.add(lambda: heard.append(3))
    listeners.tell()
    assert heard == [1, 3]


def test_events_behind_one_that_fails_are_not_lost(tmp_path: Path) -> None:
    yard = JobYard(tmp_path)
    yard.session.live_receiver.on_receiver_changed(lambda: {}["nothing"])
    yard.engine._events += [Stopped("it was unplugged"), Stopped("and again")]
    yard.session.poll()
    assert yard.session.live_receiver.trouble == "and again"
    assert yard.session.faults.count == 2


def test_a_save_that_dies_of_anything_never_passes_for_one_that_succeeded() -> None:
    def dies(station: object) -> None:
        raise UnicodeEncodeError("utf-8", "x", 0, 1, "surrogates not allowed")

    save = BackgroundSave(dies)
    save.save(demo_station())
    with pytest.raises(NotWritten, match="not saved, by a fault of the program"):
        save.settle()


def test_an_answer_that_was_overtaken_is_dropped_and_a_failure_is_told() -> None:
    background, taken, failed, gate = Background(), [], [], threading.Event()
    background.ask("x", lambda: gate.wait(5) and 1, taken.append, failed.append)
    background.ask("x", lambda: 2, taken.append, failed.append)
    background.ask("y", lambda: 1 // 0, taken.append, failed.append)
    gate.set()
    while background.is_busy:
        background.poll()
    assert taken == [2]
    assert failed == ["a fault of the program (ZeroDivisionError)"]
    background.close()
