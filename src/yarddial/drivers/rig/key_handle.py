"""The window's end of the key: it renews a press, and hears from the guard process what has become of it."""

import json
import os
import subprocess
import sys
import time
from contextlib import suppress
from typing import Protocol

from yarddial.drivers.rig.dead_mans_handle import KeyState

# A guard that died is replaced after this time; its first order is to receive.
RESTARTS_S = 0.2


class KeyHandle(Protocol):
    """Keys a transmitter while `hold` is called at least each 0.3 s; everything else releases it."""

    @property
    def state(self) -> KeyState:
        """State of the key as last reported."""
        ...

    @property
    def refusal(self) -> str:
        """Why the latest press keyed nothing or was ended; empty where the person let go."""
        ...

    @property
    def may_transmit(self) -> bool:
        """True from the first order to transmit until the transmitter has said that it receives."""
        ...

    def hold(self) -> None:
        """The person holds the key."""
        ...

    def let_go(self) -> None:
        """End the press."""
        ...

    def close(self) -> None:
        """Release the key and leave it."""
        ...


class GuardedKey:
    """A key in a process of its own, at a daemon's place; used from one thread, and never waits."""

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
        """Why the latest press keyed nothing or was ended."""
        self._listen()
        return self._refusal

    @property
    def may_transmit(self) -> bool:
        """True from the first order to transmit until a reading confirms that it receives."""
        self._listen()
        return self._may_transmit

    def hold(self) -> None:
        """Renew the press under way, or begin one."""
        if not self._is_held:
            self._press, self._is_held = self._press + 1, True
            self._refusal, self._may_transmit = "", True
        self._tell(f"hold {self._press}")

    def let_go(self) -> None:
        """End the press."""
        self._is_held = False
        self._tell("free")

    def close(self) -> None:
        """The guard releases the key by itself when its input ends, and then goes."""
        if self._process.stdin is not None:
            with suppress(OSError):
                self._process.stdin.close()

    def _started(self) -> "subprocess.Popen[bytes]":
        self._began_s, self._reports, self._reported = time.monotonic(), b"", False
        # A session of its own: what ends the window's group does not end the guard before it has released the key.
        # A guard that takes over from one that died knows that the transmitter may be keyed.
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
        """Take its reports; one that died is replaced, and the press under way has ended."""
        came = b""
        if self._process.stdout is not None and not self._process.stdout.closed:
            with suppress(OSError):
                came = os.read(self._process.stdout.fileno(), 65_536)
        *lines, self._reports = (self._reports + came).split(b"\n")
        for line in lines:
            with suppress(ValueError, KeyError):
                report = json.loads(line)
                self._state, self._reported = report["state"], True
                # What it says of an earlier press says nothing of this one.
                if report["press"] == self._press:
                    self._refusal, self._may_transmit = report["refusal"], report["may_transmit"]
        is_closed = self._process.stdin is None or self._process.stdin.closed
        if not is_closed and self._process.poll() is not None and time.monotonic() - self._began_s > RESTARTS_S:
            self._state, self._refusal, self._is_held = "unsure", "the process that holds the key ended", False
            self._press = 0
            self._process = self._started()
