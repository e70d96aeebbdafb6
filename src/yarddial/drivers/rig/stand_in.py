"""A transceiver that is not there: "Hearth" on a port of this computer, with the daemon's lines and faults at will.

It serves whoever would control a transceiver, in tests and in the demo yard. A `T 1` only lights a lamp here.
"""

import random
import socket
import threading
import time
from contextlib import suppress
from typing import Literal

RigFault = Literal["slow", "silent", "garbled", "wrong modes", "rounded", "jumps", "stuck", "doubled", "lost"]
MODES = {"USB": 2400, "LSB": 2400, "AM": 9000, "CW": 500, "CWR": 500, "FM": 15000, "RTTY": 500}
STEP_HZ = {"rounded": 10.0}


class StandIn:
    """One transceiver for any number of clients.

    frequency_hz : what its display shows; moved by clients, and by `turn` as a person would at its knob.
    reference_ppm : how far its own reference is off; what it truly receives is that much higher than the display says.
    """

    def __init__(self, seed: int = 1, reference_ppm: float = 0.37) -> None:
        """Listen on a free port of the loopback interface, in threads of its own."""
        self.frequency_hz, self.mode, self.passband_hz = 7_100_000.0, "LSB", 2400
        self.transmit_hz: float | None = None
        self.transmitting, self.reference_ppm = False, reference_ppm
        self.faults: set[RigFault] = set()
        self.delay_s = 0.0
        # How often somebody has set it from outside: what a client causes is counted here.
        self.sets = 0
        self._chance = random.Random(seed)
        self._lock = threading.RLock()
        self._server = socket.create_server(("127.0.0.1", 0))
        self._clients: list[socket.socket] = []
        self._open = True
        threading.Thread(target=self._accept, name="stand-in", daemon=True).start()

    @property
    def port(self) -> int:
        """Where it listens."""
        return int(self._server.getsockname()[1])

    @property
    def step_hz(self) -> float:
        """To what its display rounds."""
        return 10.0 if "rounded" in self.faults else 1.0

    @property
    def true_hz(self) -> float:
        """What it receives when its display shows `frequency_hz`."""
        return self.frequency_hz * (1 + self.reference_ppm * 1e-6)

    def turn(self, hertz: float) -> None:
        """Somebody turns its knob."""
        with self._lock:
            self.frequency_hz = self._rounded(hertz)

    def press(self, *, transmit: bool) -> None:
        """Somebody presses its key, into a dummy load."""
        with self._lock:
            self.transmitting = transmit

    def close(self) -> None:
        """Switch it off: every link breaks."""
        self._open = False
        for one in (self._server, *self._clients):
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)
            one.close()

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
        with suppress(OSError), client.makefile("r", encoding="ascii", errors="replace") as lines:
            for line in lines:
                if line.strip() == "q":
                    break
                answer = self._answer(line.strip().lstrip("+"))
                time.sleep(self.delay_s + (1.5 if "slow" in self.faults else 0.0))
                if "silent" in self.faults or ("lost" in self.faults and self._chance.random() < 0.1):
                    continue
                if "garbled" in self.faults:
                    answer = "".join(c if self._chance.random() < 0.7 or c == "\n" else "?" for c in answer)
                twice = 2 if "doubled" in self.faults and self._chance.random() < 0.2 else 1
                client.sendall((answer * twice).encode("ascii"))
        client.close()

    def _answer(self, question: str) -> str:
        letter, _, rest = question.partition(" ")
        with self._lock:
            if "jumps" in self.faults and self._chance.random() < 0.2:
                self.frequency_hz = self._rounded(self.frequency_hz + self._chance.choice((-5_000, 5_000)))
            match letter:
                case "f":
                    return f"get_freq:\nFrequency: {self.frequency_hz:.0f}\nRPRT 0\n"
                case "m":
                    mode = "MODE7" if "wrong modes" in self.faults else self.mode
                    return f"get_mode:\nMode: {mode}\nPassband: {self.passband_hz}\nRPRT 0\n"
                case "t":
                    return f"get_ptt:\nPTT: {int(self.transmitting or 'stuck' in self.faults)}\nRPRT 0\n"
                case "s":
                    return f"get_split_vfo:\nSplit: {int(self.transmit_hz is not None)}\nTX VFO: VFOB\nRPRT 0\n"
                case "i":
                    return f"get_split_freq:\nTX Frequency: {self.transmit_hz or self.frequency_hz:.0f}\nRPRT 0\n"
                case "F":
                    return f"set_freq: {rest}\nRPRT {self._set_frequency(rest)}\n"
                case "M":
                    return f"set_mode: {rest}\nRPRT {self._set_mode(rest)}\n"
        return "RPRT -11\n"

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
