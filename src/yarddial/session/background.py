"""Background work: a frozen request in, its answer delivered at a poll."""

import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from yarddial.yard.fault_log import log_fault

if TYPE_CHECKING:
    from queue import SimpleQueue


class Background:
    """One thread for all requests; an answer overtaken by a newer request of its topic is dropped."""

    def __init__(self) -> None:
        # Created together with the thread, for the first request.
        self._asked: SimpleQueue[tuple[str, int, Callable[[], Any]] | None]
        self._done: SimpleQueue[tuple[str, int, Any, Exception | None]]
        self._latest: dict[str, int] = {}
        self._take: dict[str, tuple[Callable[[Any], None], Callable[[str], None]]] = {}
        self._number = 0
        self._thread: threading.Thread | None = None

    @property
    def is_busy(self) -> bool:
        """True while an answer is awaited."""
        return bool(self._take)

    def ask(
        self, topic: str, work: Callable[[], Any], take: Callable[[Any], None], fail: Callable[[str], None]
    ) -> None:
        """Compute something; `take` gets the answer on the session's thread, `fail` a sentence where it failed.

        work : self-contained; it must not touch the session.
        """
        if self._thread is None:
            from queue import SimpleQueue

            self._asked, self._done = SimpleQueue(), SimpleQueue()
            self._thread = threading.Thread(target=self._run, name="background", daemon=True)
            self._thread.start()
        self._number += 1
        self._latest[topic], self._take[topic] = self._number, (take, fail)
        self._asked.put((topic, self._number, work))

    def withdraw(self, topic: str) -> None:
        """Withdraw a request: neither `take` nor `fail` is called."""
        self._latest.pop(topic, None)
        self._take.pop(topic, None)

    def poll(self) -> None:
        """Deliver finished answers."""
        if self._thread is None:
            return
        while not self._done.empty():
            topic, number, answer, fault = self._done.get()
            if self._latest.get(topic) != number:
                continue
            take, fail = self._take.pop(topic)
            if fault is None:
                take(answer)
            else:
                fail(f"a fault of the program ({type(fault).__name__})")

    def close(self) -> None:
        """Stop; pending answers are dropped."""
        self._take.clear()
        self._latest.clear()
        if self._thread is not None:
            self._asked.put(None)

    def _run(self) -> None:
        while (asked := self._asked.get()) is not None:
            topic, number, work = asked
            if self._latest.get(topic) != number:
                continue
            try:
                answer, fault = work(), None
            except Exception as error:
                # Top of the thread: every error is reported to the caller.
                log_fault(f"working out {topic} failed", error)
                answer, fault = None, error
            self._done.put((topic, number, answer, fault))
