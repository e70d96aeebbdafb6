"""The ring: nothing lost unseen, recordings wait, a hanging driver is said; the outbox: pictures go before all else."""

import threading
import time
from collections.abc import Callable

import numpy as np
import pytest

from yarddial.drivers.held import HeldDevice
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, RequestedSettings
from yarddial.engine.commands import Start, Tune
from yarddial.engine.engine import HANGING_REASON, Engine
from yarddial.engine.events import Event, Noticed, Progress, SpectrogramColumns, Stopped
from yarddial.engine.intake import Nothing, Ring
from yarddial.engine.outbox import MAX_WAITING, Outbox
from yarddial.engine.patience import Patience
from yarddial.yard.errors import BadDriver, DeviceLost, DeviceStalled

ASK = RequestedSettings(1e6, 1000.0)


class Counting:
    """Gives blocks of 100 samples as fast as they are read, so many of them, then what it is told to."""

    def __init__(self, blocks: int, last: str = "end", *, is_live: bool = True) -> None:
        self.capabilities = Capabilities("C", ((0.0, 1e9),), (1000.0,), ("",), 8, is_live=is_live)
        self._blocks, self._last = blocks, last
        self.read_count = 0
        self.closed = False
        self.release = threading.Event()

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        return ActualSettings(ask.centre_hz, ask.rate_hz, "")

    def read(self) -> Block | None:
        if self.read_count >= self._blocks:
            if self._last == "hang":
                self.release.wait(30)
            if self._last == "crash":
                raise ZeroDivisionError("inside\nthe driver")
            if self._last == "exit":
                raise SystemExit(3)
            if self._last == "real":
                return Block(np.zeros(100, np.float32), 0)  # type: ignore[arg-type]
            if self._last != "pause" or self.read_count > self._blocks:
                return None
            self.release.wait(30)
        self.read_count += 1
        return Block(np.zeros(100, np.complex64), 100 * self.read_count - 100, lost=1)

    def close(self) -> None:
        self.closed = True


def taken(ring: Ring) -> list[Block]:
    found = []
    while isinstance(block := ring.next(1.0), Block):
        found.append(block)
    return found


def wait_for(condition: Callable[[], bool]) -> None:
    for _ in range(400):
        if condition():
            return
        time.sleep(0.01)
    raise AssertionError("it never came true")


def test_a_full_ring_holds_two_seconds_and_the_rest_is_not_taken_for_received() -> None:
    """2 s at 1 kS/s hold 20 blocks of 100; what comes after them has no place."""
    device = Counting(50)
    ring = Ring(device)
    ring.apply(ASK)
    wait_for(lambda: device.read_count == 50)
    blocks = taken(ring)
    assert sum(block.samples.size for block in blocks) == 2000
    # The driver's own single lost samples.
    assert sum(block.lost for block in blocks) == 20
    ring.close()
    assert device.closed


def test_the_first_block_that_fits_again_says_what_fell_over() -> None:
    device = Counting(30, "pause")
    ring = Ring(device)
    ring.apply(ASK)
    wait_for(lambda: device.read_count == 30)
    for _ in range(20):
        ring.next(0.1)
    device.release.set()
    block = ring.next(5.0)
    assert isinstance(block, Block)
    # Ten blocks of 100 found no room; each had lost one before it, and so had this one.
    assert block.missed == 10 * 100
    assert block.lost == 10 + 1
    ring.close()


class Stamping(Counting):
    """Puts the setting that it was read under into its samples."""

    def __init__(self) -> None:
        super().__init__(100_000)
        self.setting = 0

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        self.setting += 1
        return super().apply(ask)

    def read(self) -> Block | None:
        super().read()
        return Block(np.full(100, self.setting, np.complex64), 100 * self.read_count - 100)


def test_a_block_read_before_a_change_of_settings_is_not_taken_for_one_read_after(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Between the read and the ring the reading thread may be held up while somebody sets the receiver."""
    put = Ring._put

    def late(self: Ring, *what: object) -> None:
        time.sleep(0.01)
        put(self, *what)  # type: ignore[arg-type]

    monkeypatch.setattr(Ring, "_put", late)
    device = Stamping()
    ring = Ring(device)
    for tuning in range(1, 21):
        ring.apply(ASK, tuning)
        block = ring.next(1.0)
        assert isinstance(block, Block)
        assert (block.samples[0], block.tuning) == (tuning, tuning)
    ring.close()


def test_a_recording_waits_for_the_ring() -> None:
    ring = Ring(Counting(50, is_live=False))
    ring.apply(ASK)
    assert sum(block.samples.size for block in taken(ring)) == 5000
    ring.close()


def test_what_a_driver_raises_is_said_in_one_sentence() -> None:
    ring = Ring(Counting(1, "crash"))
    ring.apply(ASK)
    assert isinstance(ring.next(1.0), Block)
    with pytest.raises(DeviceLost, match="the driver failed: inside the driver; start it again"):
        ring.next(1.0)
    ring.close()


def test_a_driver_that_ends_its_program_or_gives_real_samples_is_told_as_what_it_is() -> None:
    """Nothing is wrong with the plug: the sentence names the driver."""
    ring = Ring(Counting(1, "exit"))
    ring.apply(ASK)
    assert isinstance(ring.next(1.0), Block)
    with pytest.raises(BadDriver, match="wants to end the program"):
        ring.next(1.0)
    ring.close()
    ring = Ring(HeldDevice(Counting(0, "real")))
    ring.apply(ASK)
    with pytest.raises(BadDriver, match="gives real samples where I/Q belongs"):
        ring.next(1.0)
    ring.close()

    def opening(_: str) -> Counting:
        raise SystemExit

    events: list[Event] = []
    engine = Engine(opening, events.append)
    engine.handle(Start("x"))
    (stopped,) = [event for event in events if isinstance(event, Stopped)]
    assert "wants to end the program" in stopped.reason


def test_a_hanging_driver_ends_the_stream_in_words() -> None:
    device, events = Counting(1, "hang"), list[Event]()
    engine = Engine(lambda _: device, events.append, in_thread=True, patience=Patience(read_s=0.2))
    engine.handle(Tune(ASK, 1e6, 100.0, job=1, id=1))
    engine.handle(Start("x"))
    for _ in range(40):
        engine.step()
    assert engine.hangs
    assert events[-1] == Stopped(HANGING_REASON, process_ends=True)
    ring = Ring(device, 0.1)
    ring.apply(ASK)
    assert isinstance(ring.next(0.05), Nothing)
    with pytest.raises(DeviceStalled):
        ring.apply(ASK)
    device.release.set()


def test_a_busy_window_loses_pictures_and_nothing_else() -> None:
    gate, sent = threading.Event(), list[Event]()

    def send(event: Event) -> None:
        gate.wait(10)
        sent.append(event)

    outbox = Outbox(send)
    picture = SpectrogramColumns(1, 0, 100.0, 0.1, np.zeros((1, 2), np.float32))
    count = MAX_WAITING + 30
    for k in range(count):
        outbox.put(picture)
        outbox.put(Progress(0.5, 1.0, job=k, id=k))
    left_out = outbox.pictures_left_out
    assert left_out > 0
    gate.set()
    wait_for(lambda: sum(isinstance(event, Progress) for event in sent) == count)
    assert [event.id for event in sent if isinstance(event, Progress)] == list(range(count))
    assert sum(isinstance(event, SpectrogramColumns) for event in sent) + left_out == count
    outbox.put(picture)
    wait_for(lambda: isinstance(sent[-1], SpectrogramColumns))
    assert sent[-2] == Noticed(0, "", left_out)
    outbox.close()
