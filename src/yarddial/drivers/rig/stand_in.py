"""Stand-in for a transceiver: "Hearth" on a port of this computer, with the daemon's protocol and selectable faults.

It serves whoever would control a transceiver, in tests and in the demo yard. What it transmits goes into a dummy load;
simulated receivers ask it over a line of its own, as over a cable, what it is truly tuned to.
"""

import random
import re
import socket
import threading
import time
from collections.abc import Mapping
from contextlib import suppress
from queue import SimpleQueue
from typing import Literal

from yarddial.drivers.rig.protocol import mode_key_of, sideband_of

RigFault = Literal["slow", "silent", "garbled", "wrong modes", "rounded", "jumps", "stuck", "doubled", "lost"]
MODES = {"USB": 2400, "LSB": 2400, "AM": 9000, "CW": 500, "CWR": 500, "FM": 15000, "RTTY": 500}
# Offset of the middle of its IF from its display, by mode; the sign changes on the lower sideband.
OFFSETS_HZ = {"ssb": 1500.0, "cw": 600.0}
# Lowest power, into its dummy load.
MIN_W = 5.0
_QUESTION = re.compile(r"([^\w\\]?)\\?(\w+) ?(.*)")


class _LongLine:
    """A delay line: messages arrive late but in order, many in flight."""

    def __init__(self, client: socket.socket) -> None:
        self._client = client
        self._waiting: SimpleQueue[tuple[float, str] | None] = SimpleQueue()
        threading.Thread(target=self._run, name="stand-in line", daemon=True).start()

    def send(self, text: str, late_s: float) -> None:
        self._waiting.put((time.monotonic() + late_s, text))

    def close(self) -> None:
        self._waiting.put(None)

    def _run(self) -> None:
        with suppress(OSError):
            while (line := self._waiting.get()) is not None:
                time.sleep(max(line[0] - time.monotonic(), 0.0))
                self._client.sendall(line[1].encode("ascii"))
        self._client.close()


class StandIn:
    """One transceiver for any number of clients.

    frequency_hz : shown on its display; changed by clients, and by `turn` like a person at the knob.
    offsets_hz : by program mode, the middle of its IF minus its display.
    watts : transmit power, into a dummy load.
    """

    def __init__(self, seed: int = 1, offsets_hz: Mapping[str, float] | None = None, port: int = 0) -> None:
        """Listen on a port of the loopback interface, a free one by default, in threads of its own."""
        self.frequency_hz, self.mode, self.passband_hz = 7_100_000.0, "LSB", 2400
        self.transmit_hz: float | None = None
        self.offsets_hz = OFFSETS_HZ if offsets_hz is None else offsets_hz
        self.transmitting, self.watts = False, MIN_W
        self.faults: set[RigFault] = set()
        self.delay_s = 0.0
        # Number of changes from outside, so that those caused by clients can be counted.
        self.sets = 0
        self._chance = random.Random(seed)
        self._lock = threading.RLock()
        self._server = socket.create_server(("127.0.0.1", port))
        self._clients: list[socket.socket] = []
        self._open = True
        threading.Thread(target=self._accept, name="stand-in", daemon=True).start()

    @property
    def port(self) -> int:
        """Port on which it listens."""
        return int(self._server.getsockname()[1])

    @property
    def step_hz(self) -> float:
        """Rounding of its display."""
        return 10.0 if "rounded" in self.faults else 1.0

    @property
    def centre_hz(self) -> float:
        """Middle of its IF, if its reference were exact."""
        offset_hz = self.offsets_hz.get(mode_key_of(self.mode) or "", 0.0)
        return self.frequency_hz + (-offset_hz if sideband_of(self.mode) == "lower" else offset_hz)

    def turn(self, hertz: float) -> None:
        """Turn the knob to a frequency, as a person would."""
        with self._lock:
            self.frequency_hz = self._rounded(hertz)

    def press(self, *, transmit: bool) -> None:
        """Press or release its key, into a dummy load."""
        with self._lock:
            self.transmitting = transmit

    def close(self) -> None:
        """Switch off: every link breaks."""
        self._open = False
        for open_socket in (self._server, *self._clients):
            with suppress(OSError):
                open_socket.shutdown(socket.SHUT_RDWR)
            open_socket.close()

    def _rounded(self, hertz: float) -> float:
        return round(hertz / self.step_hz) * self.step_hz

    def _accept(self) -> None:
        while self._open:
            try:
                client, _ = self._server.accept()
            except OSError:
                return
            self._clients.append(client)
            threading.Thread(target=self._serve, args=(client,), name="stand-in client", daemon=True).start()

    def _serve(self, client: socket.socket) -> None:
        line_out = _LongLine(client)
        with suppress(OSError), client.makefile("r", encoding="ascii", errors="replace") as lines:
            for line in lines:
                if line.strip() == "q":
                    break
                if line.startswith("\\world"):
                    client.sendall(self._world().encode("ascii"))
                    continue
                answer = self._answer(line.strip())
                if "silent" in self.faults or ("lost" in self.faults and self._chance.random() < 0.1):
                    continue
                if "garbled" in self.faults:
                    answer = "".join(c if self._chance.random() < 0.7 or c == "\n" else "?" for c in answer)
                twice = 2 if "doubled" in self.faults and self._chance.random() < 0.2 else 1
                late_s = self.delay_s + (1.5 if "slow" in self.faults else 0.0)
                line_out.send(answer * twice, late_s)
        line_out.close()

    def _world(self) -> str:
        """State at its outputs: middle of the IF, and frequency and power of its transmission."""
        with self._lock:
            sends_hz = self.transmit_hz or self.frequency_hz
            return f"{self.centre_hz:.1f} {sends_hz:.1f} {self.watts if self.transmitting else 0.0:g} {self.mode}\n"

    def _answer(self, line: str) -> str:
        match = _QUESTION.match(line)
        if match is None:
            return "RPRT -11\n"
        tag, letter, rest = match.groups()
        name, answer, code = self._done(letter, rest)
        between = "\n" if tag == "+" else tag
        if not tag:
            return (
                f"RPRT {code}\n"
                if code or not answer
                else "".join(f"{answer_line.partition(': ')[2]}\n" for answer_line in answer)
            )
        head = f"{name}: {rest}" if rest else f"{name}:"
        return between.join((head, *answer, f"RPRT {code}")) + "\n"

    def _done(self, letter: str, rest: str) -> tuple[str, tuple[str, ...], int]:
        """Name, contents and code of the answer."""
        with self._lock:
            if "jumps" in self.faults and self._chance.random() < 0.2:
                self.frequency_hz = self._rounded(self.frequency_hz + self._chance.choice((-5_000, 5_000)))
            match letter:
                case "f":
                    return "get_freq", (f"Frequency: {self.frequency_hz:.0f}",), 0
                case "m":
                    mode = "MODE7" if "wrong modes" in self.faults else self.mode
                    return "get_mode", (f"Mode: {mode}", f"Passband: {self.passband_hz}"), 0
                case "t":
                    return "get_ptt", (f"PTT: {int(self.transmitting or 'stuck' in self.faults)}",), 0
                case "s":
                    return "get_split_vfo", (f"Split: {int(self.transmit_hz is not None)}", "TX VFO: VFOB"), 0
                case "i":
                    return "get_split_freq", (f"TX Frequency: {self.transmit_hz or self.frequency_hz:.0f}",), 0
                case "F":
                    return "set_freq", (), self._set_frequency(rest)
                case "M":
                    return "set_mode", (), self._set_mode(rest)
                case "S":
                    self.transmit_hz = (self.transmit_hz or self.frequency_hz) if rest.startswith("1") else None
                    return "set_split_vfo", (), 0
                case "I":
                    self.transmit_hz = self._rounded(float(rest))
                    return "set_split_freq", (), 0
                case "T":
                    self.transmitting = rest.startswith("1")
                    return "set_ptt", (), 0
        return letter, (), -11

    def _set_frequency(self, text: str) -> int:
        try:
            hertz = float(text)
        except ValueError:
            return -1
        if not 100e3 <= hertz <= 30e6:
            return -9
        self.sets += 1
        self.frequency_hz = self._rounded(hertz)
        return 0

    def _set_mode(self, text: str) -> int:
        mode, _, width = text.partition(" ")
        if mode not in MODES:
            return -1
        self.sets += 1
        self.mode, self.passband_hz = mode, int(width or 0) or MODES[mode]
        return 0
