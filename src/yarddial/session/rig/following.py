"""Two-way following of dial and transceiver: the last mover wins, without echo. Uses no clock.

Whoever runs it tells what happens and when, and does what it says. Its rules:

- What the transceiver said before the last setting was sent is old, and is not looked at: orders are done in turn.
- What the transceiver showed already is no move of it; what it was set to from here neither.
- A setting counts as taken once a later answer shows it; one that was not taken is tried again, a few times.
"""

from collections import deque
from math import isclose
from typing import Generic, TypeVar

# Resend a setting that was answered but not taken this often; then believe the transceiver.
MAX_TRIES = 3
# Some show a new place only a while after they have taken it.
TAKES_S = 0.6
# Settings go out without waiting for the answers to those before, but not faster than this.
APART_S = 0.12
# What it was set to lately, which is no move of its own.
REMEMBERED_SETTINGS = 8
# Different frequencies needed to infer the rounding step of the display.
TELLS_STEP = 4
STEPS_HZ = (100.0, 50.0, 25.0, 20.0, 10.0, 5.0, 2.0, 1.0)

V = TypeVar("V")


class LastMover(Generic[V]):
    """One value that is moved here and on the transceiver; all times in seconds."""

    def __init__(self, max_tries: int = MAX_TRIES) -> None:
        self._max_tries = max_tries
        self._wanted: V | None = None
        self._sending: V | None = None
        self._in_flight = 0
        self._sent_s = self._answered_s = float("-inf")
        self._sent: deque[V] = deque(maxlen=REMEMBERED_SETTINGS)
        self._shown: V | None = None
        self._tries = 0
        # Moves that were made by it: on the transceiver, and here.
        self.rig_moves = self.dial_moves = 0

    def is_same(self, value: V, other: V) -> bool:
        """Whether two values are one to the transceiver."""
        return value == other

    @property
    def is_settled(self) -> bool:
        """True while nothing is owed to the transceiver."""
        return self._wanted is None

    @property
    def wanted(self) -> V | None:
        """Where the transceiver is to go; None while nothing is owed to it."""
        return self._wanted

    def person_moved(self, value: V) -> None:
        """It was moved here; the transceiver is to follow."""
        self._wanted, self._tries = value, 0

    def to_set(self, now_s: float) -> V | None:
        """What to set on the transceiver now, or None; then `was_answered` or `was_refused` is owed."""
        if self._wanted is None or self._wanted == self._sending:
            return None
        if self._in_flight and now_s < self._sent_s + APART_S:
            # A dial that is dragged moves faster than a transceiver takes it.
            return None
        self._in_flight, self._sending, self._sent_s = self._in_flight + 1, self._wanted, now_s
        self._sent.append(self._wanted)
        self.rig_moves += 1
        return self._wanted

    def was_answered(self, now_s: float) -> None:
        """The setting was answered, or given up for lost."""
        self._in_flight, self._answered_s = max(self._in_flight - 1, 0), now_s

    def was_refused(self, now_s: float) -> None:
        """It will not go there: nothing is owed to it any more, and the two stay apart."""
        self.was_answered(now_s)
        if self._wanted == self._sending:
            self._wanted = self._sending = None

    def give_up(self) -> None:
        """Nobody follows for now; what was owed is not."""
        self._wanted = self._sending = self._shown = None
        self._in_flight = 0

    def rig_said(self, value: V, asked_s: float) -> V | None:
        """What the transceiver shows, asked at a time; returns where to go here, or None to stay."""
        if asked_s < self._sent_s or (self._wanted is not None and self._wanted != self._sending):
            # Older than the last setting, or the next one is on its way.
            return None
        before, self._shown = self._shown, value
        if self._wanted is None:
            return None if before == value else self._follow(value)
        if self.is_same(value, self._wanted):
            self._wanted = self._sending = None
            return None
        if value == before or any(self.is_same(value, sent) for sent in self._sent):
            return self._was_not_taken(value, asked_s)
        return self._follow(value)

    def _was_not_taken(self, value: V, asked_s: float) -> V | None:
        """Patience first, then once more, and at last the transceiver is believed."""
        if self._in_flight or asked_s < self._answered_s + TAKES_S:
            return None
        if self._tries < self._max_tries:
            self._tries, self._sending = self._tries + 1, None
            return None
        return self._follow(value)

    def _follow(self, value: V) -> V:
        self._wanted = self._sending = None
        self.dial_moves += 1
        return value


class Following(LastMover[float]):
    """Dial and transceiver; all places in hertz as its display shows them."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: set[float] = set()

    @property
    def step_hz(self) -> float:
        """To what the transceiver rounds, by the places that it showed; 1 Hz while that is not known."""
        if len(self._seen) < TELLS_STEP:
            return 1.0
        return next((step for step in STEPS_HZ if all(isclose(hz % step, 0.0) for hz in self._seen)), 1.0)

    def is_same(self, value: float, other: float) -> bool:
        """True for frequencies within one step of the display."""
        return abs(value - other) < self.step_hz

    def rig_said(self, value: float, asked_s: float) -> float | None:
        """Its step is learned from every place that it shows."""
        if len(self._seen) < 50:
            self._seen.add(value)
        return super().rig_said(value, asked_s)


class FollowingMode(LastMover[tuple[str, float]]):
    """Mode in the transceiver's words and pass-band in hertz: 0 for the usual or an unknown one."""

    def __init__(self) -> None:
        # A pass-band that it does not have is believed soon.
        super().__init__(max_tries=1)

    def is_same(self, value: tuple[str, float], other: tuple[str, float]) -> bool:
        """The mode; and the pass-band, where both name one."""
        return value[0] == other[0] and (not value[1] or not other[1] or abs(value[1] - other[1]) < 1.0)
