"""Dial and transceiver moved at random from both sides: equal in the end, no hunting, and how late the dial follows.

First 10,000 moves in virtual time, where every answer has a delay of its own; then moves in real time through the
program's own worker, against the stand-in and against the real daemon with its dummy, over lines that delay, lose and
double answers. The real knob is a second connection to the same transceiver.
"""

import random
import shutil
import socket
import sys
import threading
import time
from contextlib import suppress

import numpy as np

from long_line import LongLine
from yarddial.drivers.rig.daemon_link import DaemonLink
from yarddial.drivers.rig.daemon_process import DaemonAddress, DaemonProcess
from yarddial.drivers.rig.protocol import RigAnswer, RigState, SetRigFrequency
from yarddial.drivers.rig.stand_in import StandIn
from yarddial.session.rig.following import Following
from yarddial.session.rig.pace import Pace
from yarddial.session.rig.worker import Linked, RigWorker

PATIENCE_S, QUIET_S, DEPTH = 1.0, 6.0, 8
DELAYS_S = (0.0, 0.05, 0.2, 0.8)


class Pair:
    """A transceiver, a dial and the link between, on one clock; answers come in the order of the questions."""

    def __init__(self, chance: random.Random, rounds_hz: float, most_delay_s: float, lost: float) -> None:
        self.chance, self.rounds_hz, self.most_delay_s, self.lost = chance, rounds_hz, most_delay_s, lost
        self.rig_hz = self.dial_hz = 7_000_000.0
        self.following, self.pace = Following(), Pace()
        self.now_s = self.last_back_s = self.last_there_s = 0.0
        # Under way: when it is at the transceiver, when its answer is back, what is set or None, when it was asked.
        self.under_way: list[tuple[float, float, float | None, float]] = []
        self.shown: dict[float, float] = {}
        self.moved_s: float | None = None
        self.late_s: list[float] = []

    def turn_rig(self, hertz: float) -> None:
        self.rig_hz = round(hertz / self.rounds_hz) * self.rounds_hz
        self.moved_s = self.now_s

    def dial(self, hertz: float) -> None:
        self.dial_hz, self.moved_s = hertz, None
        self.following.person_moved(hertz)

    def run(self, until_s: float) -> None:
        while self.now_s < until_s:
            self.now_s += 0.005
            for one in list(self.under_way):
                there_s, back_s, sets_hz, asked_s = one
                if there_s <= self.now_s and asked_s not in self.shown:
                    if sets_hz is not None:
                        self.rig_hz = round(sets_hz / self.rounds_hz) * self.rounds_hz
                    self.shown[asked_s] = self.rig_hz
                if back_s <= self.now_s:
                    self.under_way.remove(one)
                    self._came(one)
            hertz = self.following.to_set(self.now_s)
            if hertz is not None:
                self._ask(hertz)
            elif self.pace.is_due(self.now_s, DEPTH):
                self.pace.asked(self.now_s)
                self._ask(None)

    def _ask(self, sets_hz: float | None) -> None:
        delay_s = self.chance.uniform(0, self.most_delay_s)
        is_lost, arrives = self.chance.random() < self.lost, self.chance.random() < 0.5
        self.last_there_s = max(self.now_s + delay_s / 2, self.last_there_s + 1e-6)
        self.last_back_s = back_s = max(self.last_there_s + delay_s / 2, self.last_back_s)
        if is_lost:
            # What is lost on the way there does nothing; known lost when the next answer comes, or patience ends.
            back_s = self.now_s + min(PATIENCE_S, self.most_delay_s + 0.2)
        there_s = self.last_there_s if not is_lost or (arrives and sets_hz is not None) else float("inf")
        self.under_way.append(
            (there_s, back_s + (1e-3 if is_lost else 0.0), sets_hz, self.now_s + 1e-9 * len(self.shown))
        )

    def _came(self, one: tuple[float, float, float | None, float]) -> None:
        there_s, _, sets_hz, asked_s = one
        shown_hz = self.shown.pop(asked_s, None)
        if sets_hz is not None:
            self.following.was_answered(self.now_s)
            return
        self.pace.came(self.now_s, asked_s, moved=False)
        if shown_hz is None or there_s == float("inf"):
            return
        to_hz = self.following.rig_said(shown_hz, asked_s)
        if to_hz is not None:
            self.dial_hz = to_hz
            if self.moved_s is not None:
                self.late_s.append(self.now_s - self.moved_s - (self.now_s - asked_s))
                self.moved_s = None


def in_virtual_time(count: int) -> bool:
    """Print and judge."""
    unequal, moves, caused = 0, 0, 0
    late: list[float] = []
    for seed in range(max(count // 50, 1)):
        chance = random.Random(seed)
        rounds_hz = chance.choice((1.0, 1.0, 10.0))
        pair = Pair(chance, rounds_hz, chance.choice(DELAYS_S), chance.choice((0.0, 0.05)))
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
    return judged("in virtual time", moves, unequal, caused, late)


class RealPair:
    """The program's worker at one end of a long line, a knob at the other."""

    def __init__(self, kind: str, seed: int) -> None:
        self.chance = random.Random(seed)
        self.far = StandIn(seed) if kind == "stand-in" else DaemonProcess(DaemonAddress(1))
        self.rounds_hz = 1.0
        if isinstance(self.far, StandIn) and seed % 3 == 0:
            self.far.faults.add("rounded")
            self.rounds_hz = 10.0
        self.line = LongLine(self.far.port, DELAYS_S[seed % 4], 0.05 * (seed % 2), 0.05 * (seed // 2 % 2), seed)
        self.knob = DaemonLink("127.0.0.1", self.far.port)
        self.worker = RigWorker(lambda: DaemonLink("127.0.0.1", self.line.port))
        self.following = Following()
        self.dial_hz, self.moved_s, self.last_turn_hz = 7e6, None, 0.0
        self.numbers = 0
        self.late_s: list[float] = []
        self.is_linked = False

    def turn(self, hertz: float) -> None:
        self.knob.begin(SetRigFrequency(hertz))
        while not self.knob.answers(1.0):
            pass
        self.moved_s, self.last_turn_hz = time.monotonic(), round(hertz / self.rounds_hz) * self.rounds_hz

    def dial(self, hertz: float) -> None:
        self.dial_hz, self.moved_s = hertz, None
        self.following.person_moved(hertz)

    def run(self, for_s: float) -> None:
        until_s = time.monotonic() + for_s
        while time.monotonic() < until_s:
            for news in self.worker.take():
                self.is_linked = self.is_linked or isinstance(news, Linked)
                if isinstance(news, RigAnswer):
                    self._take(news)
            hertz = self.following.to_set(time.monotonic())
            if hertz is not None:
                self.numbers += 1
                self.worker.order(SetRigFrequency(hertz, number=self.numbers))
            time.sleep(0.01)

    def _take(self, answer: RigAnswer) -> None:
        if answer.order.number:
            self.following.was_answered(time.monotonic())
        elif isinstance(answer.state, RigState):
            to_hz = self.following.rig_said(answer.state.frequency_hz, answer.asked_s)
            if to_hz is not None:
                self.dial_hz = to_hz
                if self.moved_s is not None and to_hz == self.last_turn_hz:
                    self.late_s.append(time.monotonic() - self.moved_s - self.line.delay_s)
                    self.moved_s = None

    def rig_hz(self) -> float:
        from yarddial.drivers.rig.protocol import ReadRig, ask

        state = ask(self.knob, ReadRig())
        assert state is not None
        return state.frequency_hz

    def close(self) -> None:
        self.worker.close()
        self.knob.close()
        self.line.close()
        self.far.close()


def in_real_time(kind: str, count: int, together: int = 8) -> bool:
    """So many moves, several pairs at a time, each in a thread."""
    results: list[tuple[int, int, int, list[float]]] = []
    each = max(count // together, 5)

    def run(seed: int) -> None:
        pair = RealPair(kind, seed)
        pair.run(1.5)
        moves = unequal = 0
        while moves < each:
            for _ in range(10):
                hertz = float(pair.chance.randrange(1_800_000, 29_000_000))
                (pair.turn if pair.chance.random() < 0.5 else pair.dial)(hertz)
                moves += 1
                pair.run(pair.chance.choice((0.02, 0.1, 0.3, 1.0)))
            pair.run(2.5 + 3 * pair.line.delay_s)
            unequal += abs(pair.dial_hz - pair.rig_hz()) >= pair.rounds_hz
        results.append((moves, unequal, pair.following.rig_moves + pair.following.dial_moves, pair.late_s))
        pair.close()

    threads = [threading.Thread(target=run, args=(seed,)) for seed in range(together)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    late = [one for _, _, _, lates in results for one in lates]
    moves, unequal, caused = (sum(result[i] for result in results) for i in range(3))
    return judged(f"against {kind}", moves, unequal, caused, late) and len(results) == together


def judged(where: str, moves: int, unequal: int, caused: int, late: list[float]) -> bool:
    """Print; True where all is well."""
    p95 = float(np.percentile(late, 95))
    good = not unequal and caused <= moves and p95 <= 0.150
    print(f"{'ok  ' if good else 'MISS'} {where}: {moves:,} moves from both sides, {unequal} ends unequal", end="; ")
    print(f"{caused / moves:.3f} moves caused a move", end="; ")
    print(f"the dial follows {1e3 * p95:.0f} ms after the answer's delay (p95)", flush=True)
    return good


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 10_000))
    good = in_virtual_time(count)
    good &= in_real_time("stand-in", count // 10)
    if shutil.which("rigctld") is None:
        print("the real daemon is not installed (libhamlib-utils): not proved against it")
        return good
    with suppress(OSError), socket.create_server(("127.0.0.1", 0)):
        good &= in_real_time("the real daemon", count // 10)
    return good


if __name__ == "__main__":
    raise SystemExit(not prove())
