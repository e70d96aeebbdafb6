"""Conversation of the key guard with the daemon, as bytes with times; it knows no socket."""

import re
from collections import deque

from yarddial.drivers.rig.dead_mans_handle import DeadMansHandle

# Interval between readings, and the time after which an answer counts as lost.
READS_S, ANSWER_S = 0.1, 0.6
# An answer overdue by this much while keyed shows that the link is slow.
LATE_S = 0.25
MAX_BYTES = 65_536
_PTT = re.compile(rb"^PTT: (\d)", re.MULTILINE)
_END = re.compile(rb"RPRT (-?\d+)\r?\n")


class KeyConversation:
    """Questions and answers of one connection; `handle` decides. Times are seconds of one monotonic clock."""

    def __init__(self, handle: DeadMansHandle) -> None:
        self._handle = handle
        self._answers = b""
        # Kind and time of each open question; the daemon answers in order.
        self._asked: deque[tuple[str, float]] = deque()
        self._read_s = float("-inf")

    def to_send(self, now_s: float) -> bytes:
        """Bytes to send now: the handle's order, and a reading at intervals and after each order to receive."""
        if self._asked and now_s - self._asked[0][1] > LATE_S:
            self._handle.is_late(now_s)
        words = b""
        order = self._handle.order(now_s)
        if order is not None:
            words = b"+T 1\n" if order else b"+T 0\n"
            self._asked.append(("key" if order else "release", now_s))
        if order is False or (not self._asked and now_s - self._read_s >= READS_S):
            self._read_s = now_s
            self._asked.append(("read", now_s))
            words += b"+t\n"
        return words

    def is_silent(self, now_s: float) -> bool:
        """Return True when an answer is overdue, so that the connection must be given up."""
        return bool(self._asked) and now_s - self._asked[0][1] > ANSWER_S

    def take(self, came: bytes, now_s: float) -> None:
        """Process bytes of the daemon's answers."""
        self._answers = (self._answers + came)[-MAX_BYTES:]
        while match := _END.search(self._answers):
            answer, self._answers = self._answers[: match.end()], self._answers[match.end() :]
            if not self._asked:
                continue
            kind, asked_s = self._asked.popleft()
            if kind == "read":
                flag = _PTT.search(answer)
                transmitting = None if flag is None or int(match[1]) < 0 else flag[1] != b"0"
                self._handle.read_back(transmitting, asked_s, now_s)
            elif kind == "key" and int(match[1]) < 0:
                self._handle.was_refused(now_s)
