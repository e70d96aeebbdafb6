"""Dial and transceiver moved at random from both sides, 10,000 moves in virtual time: equal in the end, no hunting.

Answers take 0 to 800 ms, one in twenty is lost (with what it asked for, or after it was done), and a transceiver in
three rounds to 10 Hz. The link keeps the order of what is sent, as TCP and a serial line do.
"""

import random
import sys

import numpy as np

from yarddial.session.rig.following import Following

POLL_S, PATIENCE_S, QUIET_S = 0.1, 1.0, 8.0


class Pair:
    """A transceiver, a dial and the link between, on one clock."""

    def __init__(self, chance: random.Random, rounds_hz: float, most_delay_s: float, lost: float) -> None:
        self.chance, self.rounds_hz, self.most_delay_s, self.lost = chance, rounds_hz, most_delay_s, lost
        self.rig_hz = self.dial_hz = 7_000_000.0
        self.following = Following()
        self.now_s, self.next_s = 0.0, 0.0
        # What is owed: when the answer is back, its kind, what it says, when it was asked and done, and its delay.
        self.owed: tuple[float, str, float | None, float] | None = None
        self.doing: list[tuple[float, float]] = []
        self.moved_s: float | None = None
        self.late_s: list[float] = []
        self.delay_s = 0.0

    def turn_rig(self, hertz: float) -> None:
        self.rig_hz = round(hertz / self.rounds_hz) * self.rounds_hz
        self.moved_s = self.now_s

    def dial(self, hertz: float) -> None:
        self.dial_hz, self.moved_s = hertz, None
        self.following.person_dialled(hertz)

    def run(self, until_s: float) -> None:
        while self.now_s < until_s:
            self.now_s += 0.005
            self._rig_does()
            if self.owed is not None and self.now_s >= self.owed[0]:
                self._answer()
            if self.owed is None:
                self._ask()

    def _rig_does(self) -> None:
        due = [one for one in self.doing if one[0] <= self.now_s]
        self.doing = [one for one in self.doing if one[0] > self.now_s]
        for _, hertz in due:
            self.rig_hz = round(hertz / self.rounds_hz) * self.rounds_hz

    def _ask(self) -> None:
        there_s = self.chance.uniform(0, self.most_delay_s) / 2
        self.delay_s = 2 * there_s
        is_lost, arrives = self.chance.random() < self.lost, self.chance.random() < 0.5
        back_s = self.now_s + (PATIENCE_S if is_lost else 2 * there_s)
        hertz = self.following.to_set()
        if hertz is not None:
            if not is_lost or arrives:
                self.doing.append((self.now_s + there_s, hertz))
            self.owed = (back_s, "lost" if is_lost else "set", None, self.now_s)
        elif self.now_s >= self.next_s:
            self.next_s = self.now_s + POLL_S
            self.owed = (back_s, "lost read" if is_lost else "read", there_s, self.now_s)

    def _answer(self) -> None:
        assert self.owed is not None
        _, kind, there_s, asked_s = self.owed
        self.owed = None
        if kind in ("set", "lost"):
            self.following.was_answered(self.now_s)
        elif kind == "read" and there_s is not None:
            # The transceiver looked half way back in time; what happened since it does not know.
            shown = self.rig_hz if self.moved_s is None or self.moved_s <= self.now_s - there_s else None
            if shown is None:
                return
            to_hz = self.following.rig_said(shown, asked_s)
            if to_hz is not None:
                self.dial_hz = to_hz
                if self.moved_s is not None:
                    self.late_s.append(self.now_s - self.moved_s - self.delay_s)
            self.moved_s = None if to_hz is not None else self.moved_s


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 10_000))
    unequal = 0
    moves = caused = 0
    late: list[float] = []
    for seed in range(max(count // 50, 1)):
        chance = random.Random(seed)
        rounds_hz = chance.choice((1.0, 1.0, 10.0))
        pair = Pair(chance, rounds_hz, chance.choice((0.0, 0.05, 0.2, 0.8)), chance.choice((0.0, 0.05)))
        for _ in range(10):
            for _ in range(5):
                hertz = float(chance.randrange(1_800_000, 30_000_000))
                (pair.turn_rig if chance.random() < 0.5 else pair.dial)(hertz)
                moves += 1
                pair.run(pair.now_s + chance.choice((0.02, 0.2, 1.0, 3.0)))
            pair.run(pair.now_s + QUIET_S)
            unequal += abs(pair.dial_hz - pair.rig_hz) >= rounds_hz
        caused += pair.following.rig_moves + pair.following.dial_moves
        late += pair.late_s
    p95 = float(np.percentile(late, 95))
    good = not unequal and caused <= moves and p95 <= 0.150
    print(f"{'ok  ' if good else 'MISS'} {moves:,} moves from both sides: {unequal} ends unequal", end="; ")
    print(f"{caused / moves:.3f} moves caused a move", end="; ")
    print(f"the dial follows {1e3 * p95:.0f} ms after the answer's delay (p95)")
    return good


if __name__ == "__main__":
    raise SystemExit(not prove())
