"""Dial and transceiver follow each other: whoever moved last wins; no echo, no fight, no hunting. No clock, no thread.

Whoever runs it tells what happens and when, and does what it says. Its rules:

- What the transceiver said before the last setting was answered is old, and is not looked at.
- A place that the transceiver showed already is no move of it; one that it was set to from here neither.
- A setting counts as taken once a later answer shows it; one that was not taken is tried again, a few times.
"""

from math import isclose

# A setting that is answered but not taken is sent again so often; then the transceiver is believed.
MOST_TRIES = 3
# The step to which a transceiver rounds is told by so many different places that it showed.
TELLS_STEP = 4
STEPS_HZ = (100.0, 50.0, 25.0, 20.0, 10.0, 5.0, 2.0, 1.0)


class Following:
    """One pair of dial and transceiver; all places in hertz as its display shows them, all times in seconds."""

    def __init__(self) -> None:
        self._wanted_hz: float | None = None
        self._sent_hz: float | None = None
        self._in_flight = False
        self._answered_s = float("-inf")
        self._rig_hz: float | None = None
        self._tries = 0
        self._seen: set[float] = set()
        # Moves that were made by it: on the transceiver, and on the dial.
        self.rig_moves = self.dial_moves = 0

    @property
    def step_hz(self) -> float:
        """To what the transceiver rounds, by the places that it showed; 1 Hz while that is not known."""
        if len(self._seen) < TELLS_STEP:
            return 1.0
        return next((step for step in STEPS_HZ if all(isclose(hz % step, 0.0) for hz in self._seen)), 1.0)

    @property
    def is_settled(self) -> bool:
        """True while nothing is owed to the transceiver."""
        return self._wanted_hz is None

    def person_dialled(self, hertz: float) -> None:
        """The dial was moved here; the transceiver is to follow."""
        self._wanted_hz, self._tries = hertz, 0

    def to_set(self) -> float | None:
        """What to set on the transceiver now, or None; then `was_answered` or `was_lost` is owed."""
        if self._in_flight or self._wanted_hz is None or self._wanted_hz == self._sent_hz:
            return None
        self._in_flight, self._sent_hz = True, self._wanted_hz
        self.rig_moves += 1
        return self._wanted_hz

    def was_answered(self, now_s: float) -> None:
        """The setting was answered, or given up for lost: what is said from now on counts."""
        self._in_flight, self._answered_s = False, now_s

    was_lost = was_answered

    def rig_said(self, hertz: float, asked_s: float) -> float | None:
        """What the transceiver shows, asked at a time; returns where the dial is to go, or None to leave it."""
        if self._in_flight or asked_s < self._answered_s:
            return None
        if self._wanted_hz is not None and self._wanted_hz != self._sent_hz:
            # The next setting is on its way.
            return None
        before_hz, self._rig_hz = self._rig_hz, hertz
        self._remember(hertz)
        if self._wanted_hz is None:
            return None if before_hz == hertz else self._follow(hertz)
        if abs(hertz - self._wanted_hz) < self.step_hz:
            self._wanted_hz = self._sent_hz = None
            return None
        if hertz == before_hz and self._tries < MOST_TRIES:
            # Not taken: once more.
            self._tries, self._sent_hz = self._tries + 1, None
            return None
        return self._follow(hertz)

    def _follow(self, hertz: float) -> float:
        self._wanted_hz = self._sent_hz = None
        self.dial_moves += 1
        return hertz

    def _remember(self, hertz: float) -> None:
        if len(self._seen) < 50:
            self._seen.add(hertz)
