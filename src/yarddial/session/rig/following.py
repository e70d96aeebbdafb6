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
# Some transceivers show a new frequency only after this time.
TAKES_S = 0.6
# Minimum interval between settings, which do not wait for earlier answers.
APART_S = 0.12
# Number of recent settings whose echo is no move of the transceiver.
REMEMBERED_SETTINGS = 8
# Different frequencies needed to infer the display's step.
TELLS_STEP = 4
STEPS_HZ = (100.0, 50.0, 25.0, 20.0, 10.0, 5.0, 2.0, 1.0)

V = TypeVar("V")


class LastMover(Generic[V]):
    """A value that can be moved here and on the transceiver; all times in seconds."""

    def __init__(self, max_tries: int = MAX_TRIES) -> None:
        self._max_tries = max_tries
        self._wanted: V | None = None
        self._sending: V | None = None
        self._in_flight = 0
        self._sent_s = self._answered_s = float("-inf")
        self._sent: deque[V] = deque(maxlen=REMEMBERED_SETTINGS)
        self._shown: V | None = None
        self._tries = 0
        # Number of moves made by following: of the transceiver, and of the dial.
        self.rig_moves = self.dial_moves = 0

    def is_same(self, value: V, other: V) -> bool:
        """Whether two values are equal for the transceiver."""
        return value == other

    @property
    def is_settled(self) -> bool:
        """True while no setting is pending."""
        return self._wanted is None

    @property
    def wanted(self) -> V | None:
        """Value to set on the transceiver; None while none is pending."""
        return self._wanted

    def person_moved(self, value: V) -> None:
        """A person moved it here, so the transceiver must follow."""
        self._wanted, self._tries = value, 0

    def to_set(self, now_s: float) -> V | None:
        """Value to send now, or None; `was_answered` or `was_refused` must follow."""
        if self._wanted is None or self._wanted == self._sending:
            return None
        if self._in_flight and now_s < self._sent_s + APART_S:
            # A dragged dial moves faster than a transceiver accepts.
            return None
        self._in_flight, self._sending, self._sent_s = self._in_flight + 1, self._wanted, now_s
        self._sent.append(self._wanted)
        self.rig_moves += 1
        return self._wanted

    def was_answered(self, now_s: float) -> None:
        """The setting was answered, or given up for lost."""
        self._in_flight, self._answered_s = max(self._in_flight - 1, 0), now_s

    def was_refused(self, now_s: float) -> None:
        """The transceiver refuses: drop the setting, and leave the two different."""
        self.was_answered(now_s)
        if self._wanted == self._sending:
            self._wanted = self._sending = None

    def give_up(self) -> None:
        """Following pauses: drop pending settings."""
        self._wanted = self._sending = self._shown = None
        self._in_flight = 0

    def rig_said(self, value: V, asked_s: float) -> V | None:
        """Process the displayed value, asked at a time; return where to go here, or None."""
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
        """Wait first, then repeat, and finally believe the transceiver."""
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
    """Frequency followed between dial and transceiver; hertz as on its display."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: set[float] = set()

    @property
    def step_hz(self) -> float:
        """Step of the display, from the frequencies it showed; 1 Hz while unknown."""
        if len(self._seen) < TELLS_STEP:
            return 1.0
        return next((step for step in STEPS_HZ if all(isclose(hz % step, 0.0) for hz in self._seen)), 1.0)

    def is_same(self, value: float, other: float) -> bool:
        """True for frequencies within one step of the display."""
        return abs(value - other) < self.step_hz

    def rig_said(self, value: float, asked_s: float) -> float | None:
        """Process a displayed frequency, and learn the display's step from it."""
        if len(self._seen) < 50:
            self._seen.add(value)
        return super().rig_said(value, asked_s)


class FollowingMode(LastMover[tuple[str, float]]):
    """Mode in the transceiver's words and pass band in hertz: 0 for the usual or an unknown one."""

    def __init__(self) -> None:
        # Accept its own pass band early, since it may not have the requested one.
        super().__init__(max_tries=1)

    def is_same(self, value: tuple[str, float], other: tuple[str, float]) -> bool:
        """Compare modes, and pass bands where both state one."""
        return value[0] == other[0] and (not value[1] or not other[1] or abs(value[1] - other[1]) < 1.0)
