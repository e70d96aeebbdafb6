"""A driver that never comes back, a process that is stopped: said within seconds, and whoever asks never waits."""

import os
import signal
import threading
import time

import pytest

from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings
from yarddial.engine.command_queue import CommandQueue
from yarddial.engine.commands import Cancel, Command, Measure, Show, Start, Stop, Tune
from yarddial.engine.events import Event, Started, Stopped
from yarddial.engine.patience import Patience
from yarddial.engine.process import HANGING_REASONS, EngineProcess

# As usual, but for the waits: what is tested is that they end.
SHORT = Patience(beat_s=0.2, silent_s=1.2, read_s=0.8)
ASK = RequestedSettings(100e6, 2.048e6)
LOOK = Tune(ASK, 100e6, 10_000.0)


class Hanging:
    """A receiver that hangs in the call its address names."""

    capabilities = Capabilities("Hanging", ((0.0, 1e9),), (2.048e6,), ("",), 8)

    def __init__(self, where: str) -> None:
        self._where = where
        self._hang("opening")

    def _hang(self, here: str) -> None:
        if here == self._where:
            time.sleep(3_600)

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        self._hang("applying")
        return ActualSettings(ask.centre_hz, ask.rate_hz, ask.port)

    def read(self) -> Block | None:
        self._hang("reading")
        time.sleep(0.05)
        import numpy as np

        return Block(np.full(1_024, 0.1, np.complex64), 0)

    def close(self) -> None:
        self._hang("closing")


def open_hanging(address: str) -> Hanging:
    """A function of a module, so that the other process finds it."""
    return Hanging(address)


def until(link: EngineProcess, kind: type[Event], seconds_s: float = 40.0) -> Event:
    """Poll as a window does, and note that no poll waits."""
    ends_s = time.monotonic() + seconds_s
    while time.monotonic() < ends_s:
        for event in link.poll():
            if isinstance(event, kind):
                return event
        time.sleep(0.01)
    raise AssertionError(f"no {kind.__name__} came")


@pytest.mark.parametrize("where", ["opening", "applying", "reading", "closing"])
def test_a_hanging_driver_is_said_with_what_hangs_and_the_next_start_works(where: str) -> None:
    link = EngineProcess(open_hanging, patience=SHORT)
    link.send(LOOK)
    link.send(Start(where))
    if where != "opening":
        until(link, Started)
        link.send(LOOK)
    if where == "closing":
        link.send(Stop())
    stopped = until(link, Stopped)
    assert isinstance(stopped, Stopped)
    assert stopped.reason == HANGING_REASONS[where] or (where == "reading" and "does not answer" in stopped.reason)
    link.send(Start("nowhere"))
    until(link, Started)
    link.close()


def test_a_stopped_process_takes_any_number_of_turns_of_the_dial_and_is_said() -> None:
    """Ten thousand settings are more than any pipe holds: none of them may wait for the other end."""
    link = EngineProcess(open_hanging, patience=SHORT)
    link.send(Start("nowhere"))
    until(link, Started)
    assert link.pid is not None
    os.kill(link.pid, signal.SIGSTOP)
    for number in range(10_000):
        link.send(Tune(ASK, 100e6 + number, 10_000.0))
        link.send(Show(number, 3_000.0, 300, 0.1))
        link.send(Cancel(number + 1))
    stopped = until(link, Stopped)
    assert isinstance(stopped, Stopped)
    assert "does not answer any more" in stopped.reason
    link.close()


def test_of_settings_the_newest_is_sent_and_nothing_is_sent_before_what_it_was_asked_after() -> None:
    sent: list[Command] = []
    gate, taken = threading.Event(), threading.Event()

    def send(command: Command) -> None:
        taken.set()
        gate.wait(10)
        sent.append(command)

    queue = CommandQueue(send)
    queue.put(Stop())
    taken.wait(10)
    look = [Tune(ASK, 100e6 + i, 1e4) for i in range(4)]
    measure = Measure(1.0, 100.0, job=3)
    for command in (look[0], Show(1, 1.0, 1, 1.0), look[1], measure, look[2], Show(2, 1.0, 1, 1.0), look[3]):
        queue.put(command)
    gate.set()
    while len(sent) < 6:
        time.sleep(0.01)
    assert sent == [Stop(), Show(1, 1.0, 1, 1.0), look[1], measure, Show(2, 1.0, 1, 1.0), look[3]]
    queue.end()
