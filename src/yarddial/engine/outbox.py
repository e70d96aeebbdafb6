"""From the engine to the window: events in order; a busy window gets fewer pictures, and nothing else is lost."""

import contextlib
import queue
import threading
from collections.abc import Callable

import msgspec

from yarddial.engine.events import Alive, Event, Noticed, SpanSpectrum, SpectrogramColumns

# Events that wait before pictures are left out: some two seconds of them.
MAX_WAITING = 48


class Outbox:
    """Hands events to a slow way out in a thread of its own, so that the engine never waits for the window."""

    def __init__(self, send: Callable[[Event], None]) -> None:
        self._send = send
        self._waiting: queue.SimpleQueue[Event | None] = queue.SimpleQueue()
        self._noticed = Noticed(0)
        self.pictures_left_out = 0
        self._thread = threading.Thread(target=self._send_on, name="outbox", daemon=True)
        self._thread.start()

    def put(self, event: Event) -> None:
        """Hand it over; a picture for which there is no room is counted instead."""
        if isinstance(event, SpectrogramColumns | SpanSpectrum):
            if self._waiting.qsize() >= MAX_WAITING:
                self.pictures_left_out += 1
                return
            if self.pictures_left_out:
                left_out = msgspec.structs.replace(self._noticed, pictures_left_out=self.pictures_left_out)
                self._waiting.put(left_out)
                self.pictures_left_out = 0
        if isinstance(event, Alive) and self._waiting.qsize() >= MAX_WAITING:
            # What waits will tell the same.
            return
        if isinstance(event, Noticed):
            self._noticed = event
        self._waiting.put(event)

    def close(self) -> None:
        """Wait shortly for what is on its way."""
        self._waiting.put(None)
        self._thread.join(0.5)

    def _send_on(self) -> None:
        with contextlib.suppress(BrokenPipeError, ConnectionResetError, OSError):
            while (event := self._waiting.get()) is not None:
                self._send(event)
