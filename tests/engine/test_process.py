"""The engine in its own process: kept apart from the window, and what happens when it dies or the driver fails."""

import os
import signal
import time
from collections.abc import Callable

import numpy as np
import pytest

from yarddial import wiring
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, RequestedSettings
from yarddial.engine.commands import Measure, Show, Start, Tune
from yarddial.engine.engine import Engine
from yarddial.engine.events import Event, NotMeasured, Started, Stopped
from yarddial.engine.process import EngineProcess
from yarddial.yard.errors import DeviceLost

LOOK = Tune(RequestedSettings(129.7e6, 2.048e6, "ladder"), 130e6, 10_000.0, job=1, id=1)


def wait_for(link: EngineProcess, kind: type[Event], seconds: float = 30.0) -> Event:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        for event in link.poll():
            if isinstance(event, kind):
                return event
        time.sleep(0.01)
    raise AssertionError(f"no {kind.__name__} came")


def test_a_killed_process_is_reported_and_can_be_started_again() -> None:
    link = EngineProcess(wiring.open_device_flat_out)
    link.send(LOOK)
    assert link.pid is None, "nothing runs before the receiver is wanted"
    link.send(Start("simulated:finch"))
    wait_for(link, Started)
    assert link.pid is not None
    os.kill(link.pid, signal.SIGKILL)
    stopped = wait_for(link, Stopped)
    assert isinstance(stopped, Stopped)
    assert "unexpectedly" in stopped.reason
    link.send(Start("simulated:finch"))
    wait_for(link, Started)
    link.close()
    assert link.pid is None


def test_a_device_that_is_not_there_stops_with_its_sentence() -> None:
    link = EngineProcess(wiring.open_device)
    link.send(Start("simulated:wren"))
    stopped = wait_for(link, Stopped)
    assert isinstance(stopped, Stopped)
    assert "finch" in stopped.reason
    link.close()


class Failing:
    """A device that gives a few blocks and is then unplugged."""

    capabilities = Capabilities("Failing", ((0.0, 1e9),), (2.048e6,), ("",), 8)

    def __init__(self) -> None:
        self._left = 3

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        return ActualSettings(ask.centre_hz, ask.rate_hz, ask.port)

    def read(self) -> Block | None:
        self._left -= 1
        if self._left < 0:
            raise DeviceLost("Failing was unplugged: plug it in and press Space")
        return Block(np.full(65536, 0.1, np.complex64), 0)

    def close(self) -> None:
        pass


@pytest.mark.parametrize("measuring", [True, False])
def test_an_unplugged_device_ends_the_stream_in_words(measuring: bool) -> None:
    events: list[Event] = []
    opener: Callable[[str], Device] = lambda _: Failing()  # noqa: E731
    engine = Engine(opener, events.append)
    engine.handle(LOOK)
    engine.handle(Show(1, 1_000.0, 100, 0.1))
    engine.handle(Start("x"))
    if measuring:
        engine.handle(Measure(10.0, 1_000.0, tuning=1, job=9, id=9))
    while engine.running:
        engine.step()
    assert isinstance(events[-1], Stopped)
    assert "unplugged" in events[-1].reason
    assert any(isinstance(event, NotMeasured) for event in events) is measuring
