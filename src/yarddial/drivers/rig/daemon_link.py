"""A transceiver behind the control daemon of a well-kept library (`rigctld`): plain lines over TCP on this computer.

Every question is asked in the extended form (rigctld(1), "Extended Response Protocol"), whose answer repeats the
question, with a separator of its own for each order: so an answer that comes late or twice is told from the one that is
waited for, and several may be under way.
"""

import math
import re
import socket
import time
from collections import deque

import msgspec

from yarddial.drivers.rig.protocol import (
    PATIENCE_S,
    PressRigKey,
    ReadRig,
    RigAnswer,
    RigGone,
    RigOrder,
    RigRefused,
    RigSilent,
    RigState,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
)
from yarddial.yard.errors import YardDialError

PORT = 4532
# Longer than any answer; a peer that never ends a line is no daemon.
MOST_BYTES = 65_536
# Signs that no answer has in it, and that the daemon takes for separators.
TAGS = ";|,!@%&*=^~$<>[]{}"
# A sign whose answer never came is not used again so soon: it may come yet.
RESTS_S = 10.0
# Split is asked with every so many readings: nobody splits and joins five times a second.
SPLIT_EVERY = 5
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
_ANSWER = re.compile(r"^(\w+):(.*)([^\w\s])RPRT (-?\d+)$")


class _Asked(msgspec.Struct):
    """An order under way: what is still to be answered, and what was."""

    order: RigOrder
    asked_s: float
    owed: list[str]
    told: dict[str, str] = {}
    failure: YardDialError | None = None


class DaemonLink:
    """One connection to the daemon."""

    depth = 8

    def __init__(self, host: str, port: int, patience_s: float = PATIENCE_S) -> None:
        """Connect; raises RigGone where nobody listens."""
        self._place, self._patience_s = f"{host}:{port}", patience_s
        self._buffer = b""
        # What it said once that it cannot tell is not asked again.
        self._cannot: set[str] = set()
        self._under_way: dict[str, _Asked] = {}
        self._free = deque(TAGS)
        self._resting: deque[tuple[float, str]] = deque()
        self._readings = 0
        # Lines that answered nothing that was under way.
        self.strays = 0
        self._split = ""
        try:
            self._socket = socket.create_connection((host, port), patience_s)
        except OSError as error:
            raise RigGone(
                f"nobody answers at {self._place} ({error.strerror or error}): start the daemon, or check the port"
            ) from error
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def begin(self, order: RigOrder) -> None:
        """Send it; raises RigGone, or RigRefused for what makes no sense."""
        questions = self._questions(order)
        now_s = time.monotonic()
        while self._resting and self._resting[0][0] < now_s:
            self._free.append(self._resting.popleft()[1])
        if not self._free:
            raise RigGone(f"the daemon at {self._place} answers nothing: look at the line to the transceiver")
        tag = self._free.popleft()
        self._under_way[tag] = _Asked(order, now_s, [name for name, _ in questions])
        try:
            self._socket.settimeout(self._patience_s)
            self._socket.sendall("".join(f"{tag}{words}\n" for _, words in questions).encode("ascii"))
        except OSError as error:
            raise self._gone(error) from error

    def answers(self, wait_s: float) -> list[RigAnswer]:
        """What has come; what was waited for too long comes as RigSilent."""
        until_s = time.monotonic() + wait_s
        done: list[RigAnswer] = []
        while True:
            done += self._late(time.monotonic())
            while b"\n" in self._buffer:
                line, _, self._buffer = self._buffer.partition(b"\n")
                answer = self._take(line.decode("ascii", "replace").strip("\r"))
                done += [answer] if answer is not None else []
            # A deadline within the wait ends it too.
            owed_s = min((asked.asked_s + self._patience_s for asked in self._under_way.values()), default=until_s)
            left_s = min(until_s, owed_s) - time.monotonic()
            if done or time.monotonic() >= until_s:
                return done
            self._receive(max(left_s, 0.001))

    def close(self) -> None:
        """Say good-bye; never fails."""
        try:
            self._socket.sendall(b"q\n")
        except OSError:
            pass
        finally:
            self._socket.close()

    def _questions(self, order: RigOrder) -> tuple[tuple[str, str], ...]:
        """The names by which answers come, and the words that ask."""
        match order:
            case SetRigFrequency(hertz=hertz):
                if not (math.isfinite(hertz) and hertz > 0):
                    raise RigRefused(f"{hertz:g} Hz is nothing to tune a transceiver to")
                return (("set_freq", f"F {round(hertz)}"),)
            case SetRigMode(mode=mode, passband_hz=passband_hz):
                if not re.fullmatch(r"[A-Za-z0-9-]{1,16}", mode):
                    raise RigRefused(f"'{mode}' is no name of a mode")
                # 0 stands for the mode's usual pass-band.
                return (("set_mode", f"M {mode.upper()} {round(passband_hz or 0)}"),)
            case SetRigSplit():
                # It is looked at with the next reading.
                self._readings = 0
                if order.transmit_hz is None:
                    return (("set_split_vfo", "S 0 VFOA"),)
                return (("set_split_vfo", "S 1 VFOB"), ("set_split_freq", f"I {round(order.transmit_hz)}"))
            case PressRigKey(transmit=transmit):
                return (("set_ptt", f"T {int(transmit)}"),)
        every = [("get_freq", "f"), ("get_mode", "m"), ("get_ptt", "t")]
        if self._readings % SPLIT_EVERY == 0:
            every += [("get_split_vfo", "s"), ("get_split_freq", "i")]
        self._readings += 1
        return tuple(one for one in every if one[0] not in self._cannot)

    def _receive(self, wait_s: float) -> None:
        try:
            self._socket.settimeout(wait_s)
            came = self._socket.recv(4096)
        except TimeoutError:
            return
        except OSError as error:
            raise self._gone(error) from error
        if not came:
            raise self._gone(ConnectionError("it was closed"))
        self._buffer += came
        if len(self._buffer) > MOST_BYTES:
            raise RigGone(f"whoever listens at {self._place} is no daemon for transceivers: check the port")

    def _gone(self, error: OSError) -> RigGone:
        return RigGone(f"the link to the daemon broke ({error.strerror or error}): is it running?")

    def _take(self, line: str) -> RigAnswer | None:
        """A line of the daemon's; what answers nothing that is under way is left alone."""
        found = _ANSWER.match(line)
        self.strays += 1
        if found is None or (asked := self._under_way.get(found[3])) is None or found[1] not in asked.owed:
            return None
        self.strays -= 1
        name, code = found[1], int(found[4])
        asked.owed.remove(name)
        if code in CANNOT and isinstance(asked.order, ReadRig) and name != "get_freq":
            self._cannot.add(name)
        elif code < 0 and not (isinstance(asked.order, ReadRig) and name.startswith("get_split")):
            asked.failure = RigRefused(f"'{name}' was refused: {_WHY.get(code, f'error {code}')}")
        else:
            asked.told[name] = found[2].replace(found[3], "\n")
        if asked.owed:
            return None
        del self._under_way[found[3]]
        self._free.append(found[3])
        if not isinstance(asked.order, ReadRig) or asked.failure is not None:
            return RigAnswer(asked.order, asked.asked_s, failure=asked.failure)
        try:
            return RigAnswer(asked.order, asked.asked_s, self._state(asked.told))
        except RigSilent as silent:
            return RigAnswer(asked.order, asked.asked_s, failure=silent)

    def _late(self, now_s: float) -> list[RigAnswer]:
        late = [tag for tag, asked in self._under_way.items() if now_s > asked.asked_s + self._patience_s]
        made: list[RigAnswer] = []
        for tag in late:
            asked = self._under_way.pop(tag)
            self._resting.append((now_s + RESTS_S, tag))
            silent = RigSilent(f"no answer to '{asked.owed[0]}' within {self._patience_s:g} s")
            made.append(RigAnswer(asked.order, asked.asked_s, failure=silent))
        return made

    def _state(self, told: dict[str, str]) -> RigState:
        frequency_hz = _number(told.get("get_freq", ""), _FREQUENCY)
        if frequency_hz is None or not 0 < frequency_hz < 1e12:
            raise RigSilent(f"the daemon gave no frequency that can be: {frequency_hz}")
        mode, passband_hz = _MODE.search(told.get("get_mode", "")), _number(told.get("get_mode", ""), _PASSBAND)
        transmitting = _FLAG.search(told.get("get_ptt", ""))
        if "get_split_vfo" in told:
            split = _FLAG.search(told["get_split_vfo"])
            is_split = split is not None and split.group(1) == "1"
            self._split = told.get("get_split_freq", "") if is_split else ""
        return RigState(
            frequency_hz,
            mode.group(1).upper() if mode is not None else "",
            passband_hz if passband_hz and passband_hz > 0 else None,
            None if transmitting is None else transmitting.group(1) != "0",
            _number(self._split, _FREQUENCY),
        )


def _number(text: str, pattern: re.Pattern[str]) -> float | None:
    found = pattern.search(text)
    return float(found.group(1)) if found is not None else None
