"""Communication with a transceiver in a thread of its own: periodic readings, immediate orders, reconnection."""

import threading
import time
from collections.abc import Callable
from queue import Empty, SimpleQueue

import msgspec

from yarddial.drivers.rig.key_handle import KeyHandle
from yarddial.drivers.rig.protocol import ReadRig, RigAnswer, RigLink, RigOrder, RigRefused, RigState
from yarddial.session.rig.pace import Pace
from yarddial.yard.errors import YardDialError
from yarddial.yard.fault_log import log_fault

# Check for orders this often while waiting for answers.
POLL_INTERVAL_S = 0.015
# Interval between attempts to reconnect.
AGAIN_S = 2.0


class Linked(msgspec.Struct, frozen=True):
    """The link is established."""


class Unlinked(msgspec.Struct, frozen=True):
    """The link does not exist; it is retried automatically."""

    sentence: str


RigNews = Linked | Unlinked | RigAnswer


class RigWorker:
    """One transceiver; its reports are taken with `take`."""

    def __init__(self, open_link: Callable[[], RigLink]) -> None:
        self._open_link = open_link
        self._orders: SimpleQueue[RigOrder] = SimpleQueue()
        self._news: SimpleQueue[RigNews] = SimpleQueue()
        self._closing = threading.Event()
        # The link itself, for callers that need to know its other end.
        self.link: RigLink | None = None
        self._thread = threading.Thread(target=self._run, name="transceiver", daemon=True)
        self._thread.start()

    def order(self, order: RigOrder) -> None:
        """Queue an order for execution as soon as possible."""
        self._orders.put(order)

    def take(self) -> list[RigNews]:
        """All reports since the last call."""
        news: list[RigNews] = []
        while True:
            try:
                news.append(self._news.get_nowait())
            except Empty:
                return news

    def open_key(self) -> KeyHandle:
        """Open the transmitter's key; raises RigRefused where that is impossible."""
        if self.link is None:
            raise RigRefused("no transceiver is linked")
        return self.link.open_key()

    def close(self) -> None:
        """Close; waits a moment for the link's process to end."""
        self._closing.set()
        self._thread.join(5.0)

    def _run(self) -> None:
        while not self._closing.is_set():
            try:
                self.link = link = self._open_link()
            except YardDialError as error:
                self._news.put(Unlinked(str(error)))
            except Exception as fault:
                # Top of the thread.
                log_fault("opening the transceiver failed", fault)
                self._news.put(Unlinked(f"a fault of the program ({type(fault).__name__})"))
            else:
                self._serve(link)
            self._closing.wait(AGAIN_S)

    def _serve(self, link: RigLink) -> None:
        """Serve the link until it is lost or closed; orders given while it was down are dropped as out of date."""
        while not self._orders.empty():
            self._orders.get()
        self._news.put(Linked())
        try:
            pace, last = Pace(), RigState(0.0)
            while not self._closing.is_set():
                while not self._orders.empty():
                    self._begin(link, self._orders.get())
                if pace.is_due(time.monotonic(), link.depth):
                    pace.asked(time.monotonic())
                    link.begin(ReadRig())
                due_in_s = pace.due_in_s(time.monotonic())
                for answer in link.answers(min(max(due_in_s, 0.001), POLL_INTERVAL_S)):
                    if isinstance(answer.order, ReadRig):
                        pace.came(
                            time.monotonic(), answer.asked_s, moved=answer.state is not None and answer.state != last
                        )
                        last = answer.state or last
                    self._news.put(answer)
        except YardDialError as error:
            self._news.put(Unlinked(str(error)))
        except Exception as fault:
            log_fault("talking to the transceiver failed", fault)
            self._news.put(Unlinked(f"a fault of the program ({type(fault).__name__})"))
        finally:
            self.link = None
            link.close()

    def _begin(self, link: RigLink, order: RigOrder) -> None:
        """Send an order; an invalid one is refused beforehand."""
        try:
            link.begin(order)
        except RigRefused as error:
            self._news.put(RigAnswer(order, time.monotonic(), failure=error))
