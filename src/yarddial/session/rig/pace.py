"""Polling rate of a transceiver: as fast as useful, never faster than it answers. No clock, no thread."""

# Interval between readings; slightly longer after a while without a move.
OFTEN_S, SELDOM_S, RESTS_AFTER_S = 0.1, 0.13, 20.0
# Ask less often when answers take longer than usual by this factor or by these seconds.
SLOW_ANSWER_FACTOR, LONGER_S = 1.5, 0.15
SLOW_DOWN_FACTOR, SPEED_UP_FACTOR, SLOWEST_S = 1.15, 0.95, 2.0
# Weight of a new answer in the usual delay, upwards and downwards; a crowded link clears at once.
SHARE_UP, SHARE_DOWN = 0.05, 0.1


class Pace:
    """Readings are sent without waiting for earlier answers, so that a long delay counts only once.

    A transceiver slower than the interval would accumulate them: growing delays reveal its own pace.
    """

    def __init__(self) -> None:
        self._asked_s = float("-inf")
        self._every_s = OFTEN_S
        self._usual_s: float | None = None
        self._moved_s = 0.0
        self.under_way = 0

    def is_due(self, now_s: float, depth: int) -> bool:
        """True when another reading is due."""
        return self.under_way < depth and self.due_in_s(now_s) <= 0

    def due_in_s(self, now_s: float) -> float:
        """Seconds until the next reading."""
        min_s = OFTEN_S if now_s - self._moved_s < RESTS_AFTER_S else SELDOM_S
        return self._asked_s + max(self._every_s, min_s) - now_s

    def asked(self, now_s: float) -> None:
        """Note a sent reading."""
        self._asked_s = now_s
        self.under_way += 1

    def came(self, now_s: float, asked_s: float, *, moved: bool) -> None:
        """Note an answered or abandoned reading; `moved` when it brought news."""
        took_s = now_s - asked_s
        usual_s = took_s if self._usual_s is None else self._usual_s
        if self.under_way > 1 and took_s > SLOW_ANSWER_FACTOR * usual_s + LONGER_S:
            self._every_s = min(self._every_s * SLOW_DOWN_FACTOR, SLOWEST_S)
        else:
            self._every_s = max(self._every_s * SPEED_UP_FACTOR, OFTEN_S)
        share = SHARE_UP if took_s > usual_s else SHARE_DOWN
        self._usual_s = usual_s + share * (took_s - usual_s)
        self.under_way = max(self.under_way - 1, 0)
        if moved:
            self._moved_s = now_s
