"""Order and pace of sending: audio first, then answers, picture and files, never more than the link carries.

No clock, no thread, no socket. Whoever runs it asks `next_out` for what may go now and tells what the other side says
has come. How much may be on its way follows from how fast things arrive: so nothing waits in the network, where nobody
could change its order any more.
"""

from collections import deque
from typing import Any, Literal

import msgspec

Kind = Literal["sound", "answer", "picture", "span", "state", "file"]
ORDER: tuple[Kind, ...] = ("sound", "answer", "state", "picture", "span", "file")
# Maximum queue length by kind: audio in blocks, the newest columns of a picture, one spectrum of the span.
MAX_QUEUED: dict[Kind, int] = {"sound": 16, "answer": 4_000, "state": 4, "picture": 6, "span": 1, "file": 1}
# Assumed link speed at first, bytes/s; minimum and maximum number of bytes in transit.
FIRST_SPEED, MIN_BYTES, MAX_BYTES = 30_000.0, 2_500, 2_000_000
SPARE_S, GROWTH_FACTOR = 0.12, 1.3
# Averaging time of the speed estimate; bytes that took this much longer than a round trip had to queue.
SPEED_S, MIN_SPEED_S, WAITED_S = 1.0, 0.35, 0.15
# While there is no audio, one message in this many belongs to a file.
FILE_EACH = 7
# Window over which the shortest round trip is taken.
TURN_S = 20.0


class Leaving(msgspec.Struct, frozen=True):
    """A message that may be sent now, with its size in bytes."""

    kind: Kind
    message: Any
    size: int


class ThinLink:
    """One direction of one link."""

    def __init__(self) -> None:
        self._waiting: dict[Kind, deque[tuple[Any, int]]] = {kind: deque() for kind in ORDER}
        self._sent_bytes = self._come_bytes = 0
        self._turns: deque[tuple[float, float]] = deque()
        # Bytes acknowledged over time; and bytes sent over time.
        self._come: deque[tuple[float, int]] = deque()
        self._out: deque[tuple[int, float]] = deque()
        # True when something had to wait recently: only then does the speed show the link's capacity.
        self._is_limited = False
        self.bytes_a_second = FIRST_SPEED
        self._turn = 0
        # When something last waited, or audio had to wait for its turn.
        self.limited_s = float("-inf")
        # Messages dropped for lack of bandwidth, by kind.
        self.left_out: dict[Kind, int] = dict.fromkeys(ORDER, 0)
        self.sent: dict[Kind, int] = dict.fromkeys(ORDER, 0)

    @property
    def turn_s(self) -> float:
        """Shortest recent round trip."""
        return min((turn for _, turn in self._turns), default=0.1)

    @property
    def may_be_out(self) -> int:
        """Bytes that may be in transit."""
        wanted = GROWTH_FACTOR * self.bytes_a_second * (self.turn_s + SPARE_S)
        return int(min(max(wanted, MIN_BYTES), MAX_BYTES))

    def has(self, kind: Kind) -> bool:
        """Whether a message of a kind waits."""
        return bool(self._waiting[kind])

    @property
    def is_crowded(self) -> bool:
        """Whether audio waits, so that fewer bits should be used."""
        return len(self._waiting["sound"]) > 2

    def put(self, kind: Kind, message: Any, size: int, room: int = 0) -> bool:
        """Queue a message; the oldest of its kind is dropped when there is no room, and False returned.

        room : queue length of its kind, where not the usual.
        """
        waiting = self._waiting[kind]
        has_room = len(waiting) < (room or MAX_QUEUED[kind])
        if not has_room:
            waiting.popleft()
            self.left_out[kind] += 1
        waiting.append((message, size))
        return has_room

    def next_out(self, now_s: float) -> Leaving | None:
        """Most urgent waiting message, if the link has room."""
        if self._sent_bytes - self._come_bytes >= self.may_be_out:
            self._is_limited = self._is_limited or self.waits > 0
            if self.is_crowded:
                self.limited_s = now_s
            return None
        for kind in self._order():
            if self._waiting[kind]:
                message, size = self._waiting[kind].popleft()
                self._sent_bytes += size
                self.sent[kind] += size
                self._out.append((self._sent_bytes, now_s))
                return Leaving(kind, message, size)
        return None

    def _order(self) -> tuple[Kind, ...]:
        """Audio first; but where a link does not even carry that, every fourth message is an answer.

        A file comes last, and yet continues beside a picture that would take all bandwidth.
        """
        self._turn += 1
        if self._turn % FILE_EACH == 0:
            return ("sound", "file", *ORDER)
        return ("answer", *ORDER) if self._turn % 4 == 0 else ORDER

    def came(self, now_s: float, got_bytes: int, turn_s: float) -> None:
        """Note the number of acknowledged bytes, and the round-trip time."""
        if got_bytes < self._come_bytes or got_bytes > self._sent_bytes:
            return
        self._come_bytes = got_bytes
        took_s = 0.0
        while self._out and self._out[0][0] <= got_bytes:
            took_s = now_s - self._out.popleft()[1]
        if took_s > self.turn_s + SPARE_S:
            self.limited_s = now_s
        if took_s > self.turn_s + SPARE_S + WAITED_S:
            self._is_limited = True
        self._come.append((now_s, got_bytes))
        while self._come[0][0] < now_s - SPEED_S:
            self._come.popleft()
        self._see_speed()
        if turn_s > 0:
            self._turns.append((now_s, turn_s))
        while self._turns and self._turns[0][0] < now_s - TURN_S:
            self._turns.popleft()

    def _see_speed(self) -> None:
        """Estimate the speed: the link's capacity where something had to wait, else a lower bound."""
        (first_s, first), (last_s, last) = self._come[0], self._come[-1]
        if last_s - first_s < MIN_SPEED_S:
            return
        speed = (last - first) / (last_s - first_s)
        if self._is_limited:
            self.bytes_a_second += 0.5 * (speed - self.bytes_a_second)
            self._is_limited = False
        else:
            self.bytes_a_second = max(self.bytes_a_second, speed)

    @property
    def waits(self) -> int:
        """Total size of all queues."""
        return sum(len(queue) for queue in self._waiting.values())
