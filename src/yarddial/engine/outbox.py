"""Outgoing events in order; when the window is busy, pictures are dropped and nothing else."""

import contextlib
import queue
import threading
from collections.abc import Callable

import msgspec

from yarddial.engine.events import Alive, Event, Noticed, SpanSpectrum, SpectrogramColumns

# Waiting events from which pictures are dropped: about two seconds.
MAX_WAITING = 48


class Outbox:
    """Pass events to a slow receiver in a thread of its own, so that the engine never waits for the window."""

    def __init__(self, send: Callable[[Event], None]) -> None:
        self._send = send
        self._waiting: queue.SimpleQueue[Event | None] = queue.SimpleQueue()
        self._noticed = Noticed(0)
        self.pictures_left_out = 0
        self._thread = threading.Thread(target=self._send_on, name="outbox", daemon=True)
        self._thread.start()

    def put(self, event: Event) -> None:
        """Queue an event; a picture for which there is no room is only counted."""
        if isinstance(event, SpectrogramColumns | SpanSpectrum):
            if self._waiting.qsize() >= MAX_WAITING:
                self.pictures_left_out += 1
                return
            if self.pictures_left_out:
                left_out = msgspec.structs.replace(self._noticed, pictures_left_out=self.pictures_left_out)
                self._waiting.put(left_out)
                self.pictures_left_out = 0
        if isinstance(event, Alive) and self._waiting.qsize() >= MAX_WAITING:
            # A waiting event carries the same information.
            return
        if isinstance(event, Noticed):
            self._noticed = event
        self._waiting.put(event)

    def close(self) -> None:
        """Wait briefly for queued events."""
        self._waiting.put(None)
        self._thread.join(0.5)

    def _send_on(self) -> None:
        with contextlib.suppress(BrokenPipeError, ConnectionResetError, OSError):
            while (event := self._waiting.get()) is not None:
                self._send(event)
