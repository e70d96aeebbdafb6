"""Detection of a transceiver's display that no hand moves: a second program, a memory scan, a bad link."""

from collections import deque

from yarddial.yard import clock

# The display jumps when it reverses this often within this time, by at least this much each.
MIN_REVERSALS, REVERSALS_WITHIN_S, MIN_MOVE_HZ = 4, 4.0, 1_000.0
# The display counts as steady again after this time without a move.
STEADY_S = 5.0


class DisplayJumps:
    """Latest moves of a display that were not ordered from here."""

    def __init__(self) -> None:
        self._moves: deque[tuple[float, float]] = deque(maxlen=MIN_REVERSALS)

    def moved(self, moved_hz: float) -> None:
        """Note a move of the display since the last reading."""
        if abs(moved_hz) < MIN_MOVE_HZ:
            return
        self._moves.append((clock.monotonic_s(), moved_hz))
        if len(self._moves) == MIN_REVERSALS and all(
            (move_hz > 0) == (self._moves[0][1] > 0) for _, move_hz in self._moves
        ):
            # Moves in one direction come from a hand that turns fast.
            self._moves.popleft()

    @property
    def is_jumping(self) -> bool:
        """True while it moves as no hand would."""
        return (
            len(self._moves) == MIN_REVERSALS
            and clock.monotonic_s() - self._moves[-1][0] < STEADY_S
            and self._moves[-1][0] - self._moves[0][0] < REVERSALS_WITHIN_S
        )

    def forget(self) -> None:
        """Forget earlier moves, because the link is another."""
        self._moves.clear()
