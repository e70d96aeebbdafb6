"""The window's end of the key: renews a press, and learns its state from the guard process."""

import json
import os
import sys
import time
from contextlib import suppress
from typing import TYPE_CHECKING, Protocol

from yarddial.drivers.rig.dead_mans_handle import KeyState

if TYPE_CHECKING:
    import subprocess

# Delay before a dead guard is replaced; the new one's first order is to receive.
RESTARTS_S = 0.2


class KeyHandle(Protocol):
    """Keys a transmitter while `hold` is called at least every 0.3 s; everything else releases it."""

    @property
    def state(self) -> KeyState:
        """State of the key as last reported."""
        ...

    @property
    def refusal(self) -> str:
        """Why the last press keyed nothing or was ended; empty where the person let go."""
        ...

    @property
    def may_transmit(self) -> bool:
        """True from the first order to transmit until the transmitter confirms that it receives."""
        ...

    def hold(self) -> None:
        """Renew the person's press."""
        ...

    def let_go(self) -> None:
        """End the press."""
        ...

    def close(self) -> None:
        """Release the key and close it."""
        ...


class GuardedKey:
    """A key in a process of its own; used from one thread, never blocks."""

    def __init__(self, host: str, port: int) -> None:
        self._words = [sys.executable, "-m", "yarddial.drivers.rig.key_guard", host, str(port)]
        self._state: KeyState = "unsure"
        self._refusal, self._may_transmit = "", False
        self._press, self._is_held = 0, False
        self._reports, self._began_s, self._reported = b"", 0.0, False
        self._process = self._started()

    @property
    def state(self) -> KeyState:
        """State of the key as last reported."""
        self._listen()
        return self._state

    @property
    def refusal(self) -> str:
        """Why the last press keyed nothing or was ended."""
        self._listen()
        return self._refusal

    @property
    def may_transmit(self) -> bool:
        """True from the first order to transmit until a reading confirms that it receives."""
        self._listen()
        return self._may_transmit

    def hold(self) -> None:
        """Renew the current press, or begin one."""
        if not self._is_held:
            self._press, self._is_held = self._press + 1, True
            self._refusal, self._may_transmit = "", True
        self._tell(f"hold {self._press}")

    def let_go(self) -> None:
        """End the press."""
        self._is_held = False
        self._tell("free")

    def close(self) -> None:
        """Close; the guard releases the key when its input ends, and then exits."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.close()

    def _started(self) -> "subprocess.Popen[bytes]":
        import subprocess

        self._began_s, self._reports, self._reported = time.monotonic(), b"", False
        # The guard has a session of its own, so that a signal to the window's group does not end it before it has
        # released the key. A replacement is told that the transmitter may be keyed.
        words = [*self._words, "keyed"] if self._may_transmit else self._words
        process = subprocess.Popen(
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            start_new_session=True,
        )  # fmt: skip
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                os.set_blocking(pipe.fileno(), False)
        return process

    def _tell(self, words: str) -> None:
        if self._process.stdin is None or self._process.stdin.closed:
            return
        with suppress(OSError):
            os.write(self._process.stdin.fileno(), f"{words}\n".encode("ascii"))

    def _listen(self) -> None:
        """Read the guard's reports; replace a dead guard, which ends the current press."""
        came = b""
        if self._process.stdout is not None and not self._process.stdout.closed:
            with suppress(OSError):
                came = os.read(self._process.stdout.fileno(), 65_536)
        *lines, self._reports = (self._reports + came).split(b"\n")
        for line in lines:
            with suppress(ValueError, KeyError):
                report = json.loads(line)
                self._state, self._reported = report["state"], True
                # A report about a former press does not apply to the current one.
                if report["press"] == self._press:
                    self._refusal, self._may_transmit = report["refusal"], report["may_transmit"]
        is_closed = self._process.stdin is None or self._process.stdin.closed
        if not is_closed and self._process.poll() is not None and time.monotonic() - self._began_s > RESTARTS_S:
            self._state, self._refusal, self._is_held = "unsure", "the process that holds the key ended", False
            self._press = 0
            self._process = self._started()
