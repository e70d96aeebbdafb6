"""Queue from the session to the engine: senders never wait, and only the newest of repeated settings is sent."""

import contextlib
import threading
from collections import deque
from collections.abc import Callable

from yarddial.engine.commands import Clean, Command, SetSafeguards, Show, Tune

# Commands that describe a state; a newer one of a kind supersedes an older one.
SETTINGS = (Tune, Show, Clean, SetSafeguards)


class CommandQueue:
    """Send commands in a thread of its own, in order."""

    def __init__(self, send: Callable[[Command], None]) -> None:
        self._send = send
        self._waiting: deque[Command] = deque()
        self._ready = threading.Condition()
        self._ended = False
        threading.Thread(target=self._send_on, name="commands", daemon=True).start()

    def __len__(self) -> int:
        return len(self._waiting)

    def put(self, command: Command) -> None:
        """Add a command; never waits."""
        with self._ready:
            if isinstance(command, SETTINGS):
                self._drop_older(command)
            self._waiting.append(command)
            self._ready.notify()

    def end(self) -> None:
        """End the queue."""
        with self._ready:
            self._ended = True
            self._waiting.clear()
            self._ready.notify()

    def _drop_older(self, command: Command) -> None:
        """Drop an older setting at the end of the queue; requests before it still find their own."""
        for i in range(len(self._waiting) - 1, -1, -1):
            other = self._waiting[i]
            if not isinstance(other, SETTINGS):
                return
            if type(other) is type(command) and getattr(other, "job", 0) == getattr(command, "job", 0):
                del self._waiting[i]
                return

    def _send_on(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            while True:
                with self._ready:
                    self._ready.wait_for(lambda: self._ended or bool(self._waiting))
                    if self._ended:
                        return
                    command = self._waiting.popleft()
                self._send(command)
