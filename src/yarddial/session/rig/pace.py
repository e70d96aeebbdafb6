"""How often a transceiver is asked: as often as it is worth, never faster than it answers. No clock, no thread."""

# Between two readings; a little more while nothing has moved for a while.
OFTEN_S, SELDOM_S, RESTS_AFTER_S = 0.1, 0.13, 20.0
# Of the time between two answers, how much each new one counts.
SHARE = 0.3


class Pace:
    """Readings go out without waiting for those before: so a long line costs its delay once and not twice.

    A transceiver that takes longer than the interval for each would only heap them up: then its own pace is kept.
    """

    def __init__(self) -> None:
        self._asked_s = self._came_s = float("-inf")
        self._gap_s = OFTEN_S
        self._moved_s = 0.0
        self.under_way = 0

    def is_due(self, now_s: float, depth: int) -> bool:
        """Whether to ask again."""
        every_s = OFTEN_S if now_s - self._moved_s < RESTS_AFTER_S else SELDOM_S
        if self.under_way > 1:
            every_s = max(every_s, 1.1 * self._gap_s)
        return self.under_way < depth and now_s - self._asked_s >= every_s

    def asked(self, now_s: float) -> None:
        """A reading went out."""
        self._asked_s = now_s
        self.under_way += 1

    def came(self, now_s: float, *, moved: bool) -> None:
        """One was answered, or given up; `moved` where it told anything new."""
        if self.under_way > 1:
            self._gap_s += SHARE * (min(now_s - self._came_s, 2.0) - self._gap_s)
        self._came_s = now_s
        self.under_way = max(self.under_way - 1, 0)
        if moved:
            self._moved_s = now_s
