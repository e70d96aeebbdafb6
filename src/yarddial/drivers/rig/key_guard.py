"""The process that keys a transmitter for a window: it releases the key whatever becomes of the window.

`python -m yarddial.drivers.rig.key_guard HOST PORT [keyed]` has its own connection to the daemon; `keyed` says that the
transmitter may be keyed already, by a guard that died. On standard input come lines
`hold N` (the person's press number N is still held) and `free`; the end of input means that the window is gone. On
standard output goes a line of JSON whenever something changes. The rule is in `dead_mans_handle`.
"""

import json
import os
import re
import select
import signal
import socket
import sys
import time

from yarddial.drivers.rig.dead_mans_handle import DeadMansHandle
from yarddial.drivers.rig.key_conversation import KeyConversation

# Connection time-out, and interval between attempts.
CONNECT_S, AGAIN_S = 0.3, 0.1
# Time for the release after the window has gone.
FAREWELL_S = 5.0
_HOLD = re.compile(rb"hold (\d{1,9})")


class KeyGuard:
    """The guard of one transmitter behind a daemon."""

    def __init__(self, host: str, port: int, commands: int, reports: int) -> None:
        self.handle = DeadMansHandle()
        self._place, self._commands, self._reports = (host, port), commands, reports
        self._socket: socket.socket | None = None
        self._conversation = KeyConversation(self.handle)
        self._tried_s = float("-inf")
        self._input, self._reported = b"", ""
        self.is_leaving = False

    def run(self) -> None:
        """Run until the window has gone and the transmitter receives, or is out of reach."""
        leaves_s = 0.0
        while True:
            self._step()
            if not self.is_leaving:
                continue
            self.handle.let_go(time.monotonic())
            leaves_s = leaves_s or time.monotonic() + FAREWELL_S
            if not self.handle.may_transmit or time.monotonic() > leaves_s:
                return

    def _step(self) -> None:
        if self._socket is None:
            self._connect()
        readers: list[socket.socket | int] = [] if self.is_leaving else [self._commands]
        if self._socket is not None:
            readers.append(self._socket)
        ready, _, _ = select.select(readers, [], [], 0.01)
        if self._commands in ready:
            self._read_commands()
        if self._socket is not None:
            self._talk(self._socket, is_ready=self._socket in ready)
        self._report()

    def _connect(self) -> None:
        if time.monotonic() - self._tried_s < AGAIN_S:
            return
        self._tried_s = time.monotonic()
        try:
            self._socket = socket.create_connection(self._place, CONNECT_S)
        except OSError:
            return
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._conversation = KeyConversation(self.handle)

    def _talk(self, connection: socket.socket, *, is_ready: bool) -> None:
        try:
            if is_ready:
                came = connection.recv(4096)
                if not came:
                    raise ConnectionError("the daemon closed the connection")
                self._conversation.take(came, time.monotonic())
            if words := self._conversation.to_send(time.monotonic()):
                connection.sendall(words)
            if self._conversation.is_silent(time.monotonic()):
                raise TimeoutError("the daemon does not answer")
        except OSError:
            connection.close()
            self._socket = None
            self.handle.lost(time.monotonic())

    def _read_commands(self) -> None:
        came = os.read(self._commands, 4096)
        if not came:
            self.is_leaving = True
            return
        *lines, self._input = (self._input + came).split(b"\n")
        self._input = self._input[-64:]
        for line in lines:
            if match := _HOLD.fullmatch(line.strip()):
                self.handle.hold(int(match[1]), time.monotonic())
            else:
                # An unknown line is no order to transmit.
                self.handle.let_go(time.monotonic())

    def _report(self) -> None:
        handle = self.handle
        report = {"state": handle.state, "press": handle.press, "refusal": handle.refusal,
                  "may_transmit": handle.may_transmit}  # fmt: skip
        line = json.dumps(report)
        if line != self._reported:
            self._reported = line
            try:
                os.write(self._reports, line.encode("ascii") + b"\n")
            except OSError:
                self.is_leaving = True


def main() -> None:
    """Run until the window has gone."""
    guard = KeyGuard(sys.argv[1], int(sys.argv[2]), sys.stdin.fileno(), sys.stdout.fileno())
    guard.handle.may_transmit = "keyed" in sys.argv[3:]

    def leave(*_: object) -> None:
        guard.is_leaving = True

    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(number, leave)
    guard.run()


if __name__ == "__main__":
    main()
