"""A transceiver behind the control daemon of a well-kept library (`rigctld`): plain lines over TCP on this computer.

Every question is asked in the extended form (rigctld(1), "Extended Response Protocol"), whose answer repeats the
question's name, and what was to be set. The daemon answers in turn, so several may be under way: what is owed by an
order before the one that is answered will not come any more. Its separators, which could tell orders apart, are left
alone: the daemon has one for all its clients, and others may use it.
"""

import math
import re
import socket
import time
from collections import deque

import msgspec

from yarddial.drivers.rig.key_handle import GuardedKey, KeyHandle
from yarddial.drivers.rig.protocol import (
    PATIENCE_S,
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

DEFAULT_PORT = 4532
# Longer than any answer; a peer that never ends a line is no such daemon.
MAX_BYTES = 65_536
# Ask for split with every fifth reading; nobody changes it five times a second.
SPLIT_EVERY = 5
# Codes for an unsupported command: -4 not implemented, -11 not available.
UNSUPPORTED_CODES = (-4, -11)
_REFUSAL_WORDS = {
    -1: "it takes the value for a wrong one", -5: "the transceiver did not answer it in time",
    -6: "the line to the transceiver failed", -8: "the transceiver's answer was garbled",
    -9: "the transceiver refused",
}  # fmt: skip
_QUESTION_WORDS = {
    "get_freq": "its frequency", "get_mode": "its mode", "get_ptt": "whether it transmits",
    "get_split_vfo": "its split", "get_split_freq": "where it would transmit", "set_freq": "to tune",
    "set_mode": "for another mode", "set_split_vfo": "to split", "set_split_freq": "to transmit elsewhere",
}  # fmt: skip
_FREQUENCY = re.compile(r"^(?:Frequency|TX Frequency): (-?\d+(?:\.\d+)?)$", re.MULTILINE)
_MODE = re.compile(r"^Mode: ([\w-]*)$", re.MULTILINE)
_PASSBAND = re.compile(r"^Passband: (-?\d+)$", re.MULTILINE)
_FLAG = re.compile(r"^(?:PTT|Split): (\d)$", re.MULTILINE)
_HEAD = re.compile(r"^([gs]et_\w+):(?: (.*))?$")
_END = re.compile(r"^RPRT (-?\d+)$")


class _Asked(msgspec.Struct):
    """An order in progress: expected answers by name and echo, and those received."""

    order: RigOrder
    asked_s: float
    owed: list[tuple[str, str]]
    told: dict[str, str] = {}
    failure: YardDialError | None = None


class DaemonLink:
    """One connection to the daemon."""

    depth = 8

    def __init__(self, host: str, port: int, patience_s: float = PATIENCE_S) -> None:
        """Connect; raises RigGone where nobody listens."""
        self._place, self._patience_s = (host, port), patience_s
        self._buffer = b""
        # After a time-out a late answer could be taken for a later one, so that connection is not reused.
        self._is_stale = False
        # Questions that the daemon cannot answer are not repeated.
        self._cannot: set[str] = set()
        self._under_way: deque[_Asked] = deque()
        # The answer being received: its name, its echo, and its lines.
        self._head: tuple[str, str] | None = None
        self._lines: list[str] = []
        self._readings = 0
        # Answers that matched no order, and orders that were never answered.
        self.strays = 0
        self._split = ""
        self._told: dict[str, str] = {}
        self._done: list[RigAnswer] = []
        self._socket = self._connected()

    def _connected(self) -> socket.socket:
        host, port = self._place
        try:
            connection = socket.create_connection(self._place, self._patience_s)
        except OSError as error:
            raise RigGone(
                f"nobody answers at {host}:{port} ({error.strerror or error}): start the daemon, or check the port"
            ) from error
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return connection

    def begin(self, order: RigOrder) -> None:
        """Send an order; raises RigGone, or RigRefused for an invalid one."""
        questions = self._questions(order)
        if self._is_stale:
            self._begin_anew()
        now_s = time.monotonic()
        self._under_way.append(_Asked(order, now_s, [(name, words.partition(" ")[2]) for name, words in questions]))
        try:
            self._socket.settimeout(self._patience_s)
            self._socket.sendall("".join(f"+{words}\n" for _, words in questions).encode("ascii"))
        except OSError as error:
            raise self._gone(error) from error

    def answers(self, wait_s: float) -> list[RigAnswer]:
        """Return received answers; an overdue one comes as RigSilent."""
        until_s = time.monotonic() + wait_s
        done, self._done = self._done, []
        while True:
            done += self._late(time.monotonic())
            while b"\n" in self._buffer:
                line, _, self._buffer = self._buffer.partition(b"\n")
                done += self._take(line.decode("ascii", "replace").strip("\r"))
            # A deadline during the wait ends it too.
            owed_s = min((asked.asked_s + self._patience_s for asked in self._under_way), default=until_s)
            left_s = min(until_s, owed_s) - time.monotonic()
            if done or time.monotonic() >= until_s:
                return done
            self._receive(max(left_s, 0.001))

    def _begin_anew(self) -> None:
        """Reconnect; orders on the old connection are given up."""
        self._socket.close()
        for asked in self._under_way:
            silent = RigSilent(f"no answer when asked {_QUESTION_WORDS[asked.owed[0][0]]}")
            self._done.append(RigAnswer(asked.order, asked.asked_s, failure=silent))
        self._under_way.clear()
        self._buffer, self._head, self._lines, self._is_stale = b"", None, [], False
        self._socket = self._connected()

    def open_key(self) -> KeyHandle:
        """Open the transmitter's key, in a process of its own."""
        return GuardedKey(*self._place)

    def close(self) -> None:
        """Close the connection politely; never fails."""
        try:
            self._socket.sendall(b"q\n")
        except OSError:
            pass
        finally:
            self._socket.close()

    def _questions(self, order: RigOrder) -> tuple[tuple[str, str], ...]:
        """Names of the expected answers with the commands that ask for them."""
        match order:
            case SetRigFrequency(hertz=hertz):
                if not (math.isfinite(hertz) and hertz > 0):
                    raise RigRefused(f"{hertz:g} Hz is nothing to tune a transceiver to")
                return (("set_freq", f"F {round(hertz)}"),)
            case SetRigMode(mode=mode, passband_hz=passband_hz):
                if not re.fullmatch(r"[A-Za-z0-9-]{1,16}", mode):
                    raise RigRefused(f"'{mode}' is no name of a mode")
                # 0 stands for the mode's usual pass band.
                return (("set_mode", f"M {mode.upper()} {round(passband_hz or 0)}"),)
            case SetRigSplit():
                # Ask with the next reading.
                self._readings = 0
                if order.transmit_hz is None:
                    return (("set_split_vfo", "S 0 VFOA"),)
                return (("set_split_vfo", "S 1 VFOB"), ("set_split_freq", f"I {round(order.transmit_hz)}"))
        every = [("get_mode", "m"), ("get_ptt", "t")]
        if self._readings % SPLIT_EVERY == 0:
            every += [("get_split_vfo", "s"), ("get_split_freq", "i")]
        self._readings += 1
        # Ask for the frequency last: its answer completes the reading.
        return (*(question for question in every if question[0] not in self._cannot), ("get_freq", "f"))

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
        if len(self._buffer) > MAX_BYTES:
            raise RigGone(f"whoever listens at port {self._place[1]} is no daemon for transceivers: check the port")

    def _gone(self, error: OSError) -> RigGone:
        return RigGone(f"the link to the daemon broke ({error.strerror or error}): is it running?")

    def _take(self, line: str) -> list[RigAnswer]:
        """Process a line of the daemon; ignore one that matches no order."""
        if ending := _HEAD.match(line):
            self.strays += self._head is not None
            self._head, self._lines = (ending[1], (ending[2] or "").strip()), []
            return []
        ending = _END.match(line)
        if ending is None:
            self._lines.append(line)
            return []
        head, self._head = self._head, None
        # The daemon echoes the value of a setting, but not of a question.
        asked = (
            next((owed_question for owed_question in self._under_way if head in owed_question.owed), None)
            if head is not None
            else None
        )
        if head is None or asked is None:
            self.strays += 1
            return []
        done = self._lost_before(asked)
        # Also within one order: its questions are answered in turn.
        self.strays += asked.owed.index(head)
        del asked.owed[: asked.owed.index(head) + 1]
        self._put_down(asked, head[0], int(ending[1]))
        if asked.owed:
            return done
        self._under_way.remove(asked)
        return [*done, self._answered(asked)]

    def _put_down(self, asked: _Asked, name: str, code: int) -> None:
        """Store the answer to one of an order's questions."""
        is_reading = isinstance(asked.order, ReadRig)
        if code in UNSUPPORTED_CODES and is_reading and name != "get_freq":
            self._cannot.add(name)
        elif code < 0 and not (is_reading and name.startswith("get_split")):
            asked.failure = RigRefused(
                f"asked {_QUESTION_WORDS[name]}, {_REFUSAL_WORDS.get(code, f'it gave error {code}')}"
            )
        else:
            asked.told[name] = "\n".join(self._lines)

    def _answered(self, asked: _Asked) -> RigAnswer:
        """Finish an order whose answers are complete."""
        if not isinstance(asked.order, ReadRig) or asked.failure is not None:
            return RigAnswer(asked.order, asked.asked_s, failure=asked.failure)
        try:
            return RigAnswer(asked.order, asked.asked_s, self._state(asked.told))
        except RigSilent as silent:
            return RigAnswer(asked.order, asked.asked_s, failure=silent)

    def _lost_before(self, asked: _Asked) -> list[RigAnswer]:
        """Finish orders begun before the one being answered, with what has arrived."""
        lost = []
        while (other := self._under_way[0]) is not asked:
            self._under_way.popleft()
            if isinstance(other.order, ReadRig) and "get_freq" in other.told:
                lost.append(self._answered(other))
            else:
                silent = RigSilent(f"no answer when asked {_QUESTION_WORDS[other.owed[0][0]]}")
                lost.append(RigAnswer(other.order, other.asked_s, failure=silent))
        return lost

    def _late(self, now_s: float) -> list[RigAnswer]:
        """Time out overdue orders."""
        answers: list[RigAnswer] = []
        while self._under_way and now_s > self._under_way[0].asked_s + self._patience_s:
            asked, self._is_stale = self._under_way.popleft(), True
            silent = RigSilent(
                f"no answer within {self._patience_s:g} s when asked {_QUESTION_WORDS[asked.owed[0][0]]}"
            )
            answers.append(RigAnswer(asked.order, asked.asked_s, failure=silent))
        return answers

    def _state(self, fields: dict[str, str]) -> RigState:
        frequency_hz = _number(fields.get("get_freq", ""), _FREQUENCY)
        if frequency_hz is None or not 0 < frequency_hz < 1e12:
            raise RigSilent(f"the daemon gave no frequency that can be: {frequency_hz}")
        # Lost answers leave the former value.
        self._told |= {name: fields[name] for name in ("get_mode", "get_ptt") if name in fields}
        mode_answer = self._told.get("get_mode", "")
        mode, passband_hz = _MODE.search(mode_answer), _number(mode_answer, _PASSBAND)
        transmitting = _FLAG.search(self._told.get("get_ptt", ""))
        if "get_split_vfo" in fields:
            split = _FLAG.search(fields["get_split_vfo"])
            is_split = split is not None and split.group(1) == "1"
            self._split = fields.get("get_split_freq", "") if is_split else ""
        return RigState(
            frequency_hz,
            mode.group(1).upper() if mode is not None else "",
            passband_hz if passband_hz and passband_hz > 0 else None,
            None if transmitting is None else transmitting.group(1) != "0",
            _number(self._split, _FREQUENCY),
        )


def _number(text: str, pattern: re.Pattern[str]) -> float | None:
    match = pattern.search(text)
    return float(match.group(1)) if match is not None else None
