"""A transceiver behind the control daemon of a well-kept library (`rigctld`): plain lines over TCP on this computer.

Every question is asked in the extended form, whose answer repeats the question: so an answer that comes late or twice
is told from the one that is waited for (rigctld(1), "Extended Response Protocol").
"""

import math
import re
import socket
import time

from yarddial.drivers.rig.protocol import RigGone, RigRefused, RigSilent, RigState

PORT = 4532
PATIENCE_S = 1.0
# Longer than any answer; a peer that never ends a line is no daemon.
MOST_BYTES = 65_536
# Codes by which it says that it cannot do a thing at all: -4 not implemented, -11 not available.
CANNOT = (-4, -11)
_WHY = {
    -1: "it takes the value for a wrong one", -5: "the transceiver did not answer it in time",
    -6: "the line to the transceiver failed", -8: "the transceiver's answer was garbled",
    -9: "the transceiver refused",
}  # fmt: skip
_FREQUENCY = re.compile(r"^(?:Frequency|TX Frequency): (-?\d+(?:\.\d+)?)$", re.MULTILINE)
_MODE = re.compile(r"^Mode: ([\w-]*)$", re.MULTILINE)
_PASSBAND = re.compile(r"^Passband: (-?\d+)$", re.MULTILINE)
_FLAG = re.compile(r"^(?:PTT|Split): (\d)$", re.MULTILINE)


class DaemonLink:
    """Synchronous: whoever calls waits, so it belongs into a thread of its own."""

    def __init__(self, host: str, port: int, patience_s: float = PATIENCE_S) -> None:
        """Connect; raises RigGone where nobody listens."""
        self._place, self._patience_s = (host, port), patience_s
        self._buffer = b""
        # What it said once that it cannot tell is not asked again.
        self._cannot: set[str] = set()
        # After silence the answer may come yet, and look like the next one: that link is not used again.
        self._is_stale = False
        self._socket = self._connected()

    def _connected(self) -> socket.socket:
        host, port = self._place
        try:
            made = socket.create_connection(self._place, self._patience_s)
        except OSError as error:
            raise RigGone(
                f"nobody answers at {host}:{port} ({error.strerror or error}): start the daemon, or check the port"
            ) from error
        made.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return made

    def read(self) -> RigState:
        """Frequency and mode, and what else it tells."""
        frequency_hz = _number(self._ask("f", "get_freq"), _FREQUENCY)
        if frequency_hz is None or not 0 < frequency_hz < 1e12:
            raise RigSilent(f"the daemon gave no frequency that can be: {frequency_hz}")
        told = self._try("m", "get_mode")
        mode, passband_hz = _MODE.search(told), _number(told, _PASSBAND)
        transmitting = _FLAG.search(self._try("t", "get_ptt"))
        split = _FLAG.search(self._try("s", "get_split_vfo"))
        transmit_hz = None
        if split is not None and split.group(1) == "1":
            transmit_hz = _number(self._try("i", "get_split_freq"), _FREQUENCY)
        return RigState(
            frequency_hz,
            mode.group(1).upper() if mode is not None else "",
            passband_hz if passband_hz and passband_hz > 0 else None,
            None if transmitting is None else transmitting.group(1) != "0",
            transmit_hz,
        )

    def set_frequency(self, hertz: float) -> None:
        """Whole hertz: more it does not take."""
        if not (math.isfinite(hertz) and hertz > 0):
            raise RigRefused(f"{hertz:g} Hz is nothing to tune a transceiver to")
        self._ask(f"F {round(hertz)}", "set_freq")

    def set_mode(self, mode: str, passband_hz: float | None = None) -> None:
        """0 stands for the mode's usual pass-band, as the protocol has it."""
        if not re.fullmatch(r"[A-Za-z0-9-]{1,16}", mode):
            raise RigRefused(f"'{mode}' is no name of a mode")
        self._ask(f"M {mode.upper()} {round(passband_hz or 0)}", "set_mode")

    def close(self) -> None:
        """Say good-bye; never fails."""
        try:
            self._socket.sendall(b"q\n")
        except OSError:
            pass
        finally:
            self._socket.close()

    def _try(self, short: str, name: str) -> str:
        """The answer, or "" where it cannot tell such a thing."""
        if name in self._cannot:
            return ""
        try:
            return self._ask(short, name)
        except _Cannot:
            self._cannot.add(name)
            return ""

    def _ask(self, short: str, name: str) -> str:
        """The answer's lines without the first and the last; raises RigSilent, RigRefused or RigGone."""
        if self._is_stale:
            self._socket.close()
            self._socket, self._buffer, self._is_stale = self._connected(), b"", False
        until_s = time.monotonic() + self._patience_s
        wanted = f"{name}:{short[1:]}".rstrip()
        try:
            self._socket.sendall(f"+{short}\n".encode("ascii"))
            while True:
                head = self._line(until_s)
                # Whatever was waited for before, and came late or twice.
                if head.rstrip() != wanted:
                    continue
                lines: list[str] = []
                while not (line := self._line(until_s)).startswith("RPRT "):
                    lines.append(line)
                code = int(line[5:])
                break
        except (TimeoutError, ValueError) as error:
            self._is_stale = True
            raise RigSilent(f"no answer to '{name}' within {self._patience_s:g} s") from error
        except OSError as error:
            raise RigGone(f"the link to the daemon broke ({error.strerror or error}): is it running?") from error
        if code in CANNOT:
            raise _Cannot(f"the transceiver cannot do '{name}'")
        if code < 0:
            raise RigRefused(f"'{name}{short[1:]}' was refused: {_WHY.get(code, f'error {code}')}")
        return "\n".join(lines)

    def _line(self, until_s: float) -> str:
        while b"\n" not in self._buffer:
            left_s = until_s - time.monotonic()
            if left_s <= 0:
                raise TimeoutError
            self._socket.settimeout(left_s)
            came = self._socket.recv(4096)
            if not came:
                raise ConnectionError("it was closed")
            self._buffer += came
            if len(self._buffer) > MOST_BYTES:
                self._buffer = b""
                raise ValueError("no line ends")
        line, _, self._buffer = self._buffer.partition(b"\n")
        return line.decode("ascii", "replace").strip("\r")


class _Cannot(RigRefused):
    """It has no such thing."""


def _number(text: str, pattern: re.Pattern[str]) -> float | None:
    found = pattern.search(text)
    return float(found.group(1)) if found is not None else None
