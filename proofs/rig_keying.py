"""A transmitter keyed from here is never on the air when nobody holds the key, whatever breaks.

Virtual time: 20,000 sequences of press, release, a frozen or killed window, broken and slow links, and a daemon that
is started again, through the guard's own rule and conversation. Real time: the guard's process with the stand-in and,
where it is installed, the real daemon. Hostile tables and addresses key nothing.
"""

import json
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections import deque
from pathlib import Path

from yarddial.drivers.rig.command_table import BadTable, load_table
from yarddial.drivers.rig.daemon_process import PROGRAM, is_installed
from yarddial.drivers.rig.dead_mans_handle import MAX_KEYED_S, DeadMansHandle
from yarddial.drivers.rig.key_conversation import KeyConversation
from yarddial.drivers.rig.key_handle import GuardedKey
from yarddial.drivers.rig.opening import parse_rig_address
from yarddial.drivers.rig.stand_in import StandIn
from yarddial.yard.errors import YardDialError

SEQUENCES, STEP_S, RENEWS_S = 20_000, 0.005, 0.016
# After the handle was let go, or the window stood still, the transmitter may be keyed no longer than this.
BOUND_S = 0.5


class Air:
    """A daemon and its transmitter behind a line that delays, breaks, and comes back; time is given."""

    def __init__(self) -> None:
        self.transmitting, self.is_reachable, self.delay_s = False, True, 0.01
        self._down: deque[tuple[float, bytes]] = deque()
        self._up: deque[tuple[float, bytes]] = deque()

    def send(self, words: bytes, now_s: float) -> None:
        for word in words.splitlines():
            self._down.append((now_s + self.delay_s, word))

    def cut(self) -> None:
        """What is on the way is lost."""
        self._down.clear()
        self._up.clear()

    def step(self, now_s: float) -> bytes:
        """Do what has arrived; give the answers that have come back."""
        while self._down and self._down[0][0] <= now_s:
            at_s, word = self._down.popleft()
            if word.startswith(b"+T"):
                self.transmitting = word.endswith(b"1")
                answer = b"set_ptt: %c\nRPRT 0\n" % word[-1]
            else:
                answer = b"get_ptt:\nPTT: %d\nRPRT 0\n" % self.transmitting
            self._up.append((max(at_s, now_s) + self.delay_s, answer))
        came = b""
        while self._up and self._up[0][0] <= now_s:
            came += self._up.popleft()[1]
        return came


def sequence(seed: int) -> tuple[float, float, int]:
    """How long it was keyed beyond the bound while it could be reached, the longest press, and how often it was keyed.

    A broken link carries no order to receive: that time does not count, and the first order after it must.
    """
    chance = random.Random(seed)
    handle, air = DeadMansHandle(), Air()
    conversation: KeyConversation | None = KeyConversation(handle)
    air.delay_s = chance.choice((0.001, 0.01, 0.03, 0.06, 0.07, 0.2, 0.4))
    now_s, press, is_held, is_frozen, is_killed = 0.0, 0, False, False, False
    free_since_s, reach_since_s, renewed_s, keyed_s, times = 0.0, 0.0, -1.0, 0.0, 0
    worst_s, longest_s, keyed_since_s = 0.0, 0.0, None
    next_event_s = 0.3
    while now_s < 14.0:
        now_s += STEP_S
        if now_s >= next_event_s:
            next_event_s = now_s + chance.choice((0.02, 0.1, 0.4, 1.0, 3.0, 9.0)) * chance.uniform(0.5, 1.0)
            match chance.randrange(10):
                case 0 | 1 | 2 | 3:
                    if not is_held:
                        press, is_held = press + 1, True
                    elif not is_frozen:
                        is_held = False
                        handle.let_go(now_s)
                case 4:
                    is_frozen = not is_frozen
                case 5:
                    is_killed, is_held = True, False
                    handle.let_go(now_s)
                case 6 | 7:
                    air.is_reachable = not air.is_reachable
                    if not air.is_reachable:
                        air.cut()
                        conversation = None
                        handle.lost(now_s)
                case 8:
                    # The daemon is started again; its transmitter stays as it was.
                    air.cut()
                    conversation = None
                    handle.lost(now_s)
                case _:
                    is_held = False
                    if not is_frozen:
                        handle.let_go(now_s)
        lives = is_held and not is_frozen and not is_killed
        if lives and now_s - renewed_s >= RENEWS_S:
            renewed_s = now_s
            handle.hold(press, now_s)
        if air.is_reachable:
            conversation = conversation or KeyConversation(handle)
            if came := air.step(now_s):
                conversation.take(came, now_s)
            if words := conversation.to_send(now_s):
                air.send(words, now_s)
            if conversation.is_silent(now_s):
                air.cut()
                conversation = None
                handle.lost(now_s)
        free_since_s = now_s if lives else free_since_s
        reach_since_s = reach_since_s if air.is_reachable else now_s
        if air.transmitting:
            if keyed_since_s is None:
                keyed_since_s, times = now_s, times + 1
            longest_s = max(longest_s, now_s - keyed_since_s) if reach_since_s < keyed_since_s else longest_s
            worst_s = max(worst_s, now_s - max(free_since_s, reach_since_s))
        else:
            keyed_since_s = None
        keyed_s += STEP_S * air.transmitting
    return worst_s, longest_s, times


def prove() -> bool:
    """Print each part; True when no transmitter stayed keyed."""
    good = in_virtual_time()
    good &= hostile()
    return in_real_time("stand-in") and (not is_installed() or in_real_time("real daemon")) and good


def in_virtual_time(count: int = SEQUENCES) -> bool:
    late = long = keyed = 0
    worst_s = longest_s = 0.0
    for seed in range(count):
        over_s, press_s, times = sequence(seed)
        late += over_s > BOUND_S + STEP_S
        long += press_s > MAX_KEYED_S + BOUND_S
        keyed += times
        worst_s, longest_s = max(worst_s, over_s), max(longest_s, press_s)
    print(
        f"{count} sequences in virtual time, keyed {keyed} times: {late} keyed more than {BOUND_S} s after the handle "
        f"was let go (worst {worst_s:.3f} s), {long} longer than allowed (longest {longest_s:.2f} s)"
    )
    return not late and not long and keyed > count / 4


HOSTILE = (
    "TX", "TX1", "TX;FA", "FA;TX", "FA;TX1;", "IF\nTX", "IF\rTX;", "RX;TX;", "KY hello", "TB1", "FATX", "TX0;TX1",
    "MX1", "FA\\x00TX", "AC001", "PT1", "TQ1", "T 1", "\\set_ptt 1", "+T 1", "FA T 1", "IF{hertz}", "SWT16",
    "FA;;TX", "VX1",
)  # fmt: skip


def hostile() -> bool:
    """Tables and addresses that would key: none may be taken."""
    chance, taken, tried = random.Random(5), 0, 0
    fields = ("frequency", "mode", "transmitting", "split", "transmit_frequency")
    template = json.loads((Path(__file__).parents[1] / "src/yarddial/drivers/rig/tables/template.json").read_text())
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "table.json"
        while tried < 500:
            table = json.loads(json.dumps(template))
            words = chance.choice(HOSTILE)
            where, how = chance.choice(fields), chance.choice(("ask", "set", "names", "terminator"))
            if how == "names":
                table[where]["names"] = {";" + words: "USB", "TX;": "yes"}
            elif how == "terminator":
                table["terminator"], table[where]["ask"] = chance.choice((";", "\r", "X;", ";T")), words
            else:
                table[where][how] = words if how == "ask" else words + chance.choice(("", "{hertz}", ";{flag}"))
            path.write_text(json.dumps(table))
            tried += 1
            try:
                load_table(str(path))
                taken += 1
                print(f"taken: {where}.{how} {words!r}")
            except BadTable:
                pass
    addresses = ("rig:tcp://127.0.0.1:4532/T 1", "rig:daemon:1 --set-conf=x@/dev/x", "rig:daemon:1@/dev/x:9600 -T 1",
                 "rig:tcp://127.0.0.1:4532\nT 1", "rig:daemon:1;T 1")  # fmt: skip
    for address in addresses:
        try:
            parse_rig_address(address)
            taken += 1
            print(f"taken: {address!r}")
        except YardDialError:
            pass
    print(f"{tried} hostile tables and {len(addresses)} addresses: {taken} taken")
    return not taken


class Watched:
    """A transmitter in real time: the made-up one, or the real daemon with its dummy, keyed by its commands."""

    def __init__(self, kind: str) -> None:
        self._stand_in = StandIn() if kind == "stand-in" else None
        self._daemon: subprocess.Popen[bytes] | None = None
        if self._stand_in is not None:
            self.port = self._stand_in.port
            return
        with socket.create_server(("127.0.0.1", 0)) as free:
            self.port = int(free.getsockname()[1])
        words = [PROGRAM, "-m", "1", "-P", "RIG", "-T", "127.0.0.1", "-t", str(self.port)]
        self._daemon = subprocess.Popen(words, stderr=subprocess.DEVNULL)
        until(lambda: self.transmitting is not None, 5.0)

    @property
    def transmitting(self) -> bool | None:
        try:
            with socket.create_connection(("127.0.0.1", self.port), 1.0) as line:
                line.sendall(b"t\n")
                return line.recv(100).startswith(b"1")
        except OSError:
            return None

    def close(self) -> None:
        if self._stand_in is not None:
            self._stand_in.close()
        if self._daemon is not None:
            self._daemon.kill()
            self._daemon.wait()


WINDOW = """
import sys, time
from yarddial.drivers.rig.key_handle import GuardedKey
key = GuardedKey("127.0.0.1", int(sys.argv[1]))
ready_s = time.monotonic() + 5.0
while key.state != "receiving" and time.monotonic() < ready_s:
    time.sleep(0.01)
print("ready", flush=True)
until_s = time.monotonic() + float(sys.argv[2])
while time.monotonic() < until_s:
    key.hold()
    time.sleep(0.016)
time.sleep(60)
"""


def in_real_time(kind: str) -> bool:
    """Let go, stand still, be killed, and hold for ever: how long each leaves the transmitter keyed."""
    air = Watched(kind)
    good = True
    try:
        for what in ("let go", "stopped", "killed", "terminated", "stands still", "held for ever"):
            seconds_s = 20.0 if what == "held for ever" else 1.0 if what == "stands still" else 30.0
            window = subprocess.Popen(
                [sys.executable, "-c", WINDOW, str(air.port), str(seconds_s)], stdout=subprocess.PIPE, text=True
            )
            assert window.stdout is not None
            window.stdout.readline()
            begun_s = time.monotonic()
            until(lambda: air.transmitting, 2.0)
            was_keyed = air.transmitting
            if what == "let go":
                key = None
                window.kill()
                window.wait()
                until(lambda: not air.transmitting, 2.0)
                key = GuardedKey("127.0.0.1", air.port)
                until(lambda key=key: key.state == "receiving", 3.0)  # type: ignore[misc]
                hold_until_s = time.monotonic() + 0.6
                while time.monotonic() < hold_until_s:
                    key.hold()
                    time.sleep(0.016)
                was_keyed &= air.transmitting
                key.let_go()
                free_s = time.monotonic()
                gone_s = until(lambda: not air.transmitting, 2.0) - free_s
                key.close()
            elif what in ("stopped", "killed", "terminated"):
                number = {"stopped": signal.SIGSTOP, "killed": signal.SIGKILL, "terminated": signal.SIGTERM}[what]
                os.kill(window.pid, number)
                free_s = time.monotonic()
                gone_s = until(lambda: not air.transmitting, 2.0) - free_s
            elif what == "stands still":
                gone_s = until(lambda: not air.transmitting, 3.0) - (begun_s + seconds_s)
            else:
                gone_s = until(lambda: not air.transmitting, 12.0) - (begun_s + MAX_KEYED_S)
            bound_s = BOUND_S + 0.1
            good &= was_keyed and gone_s < bound_s
            print(f"{kind}, {what}: keyed {was_keyed}, {gone_s * 1e3:.0f} ms beyond what is allowed or let go")
            window.kill()
            window.wait()
            until(lambda: not air.transmitting, 2.0)
    finally:
        air.close()
    return good


def until(condition, patience_s: float) -> float:  # type: ignore[no-untyped-def]
    """The moment from which it holds, or the end of patience."""
    end_s = time.monotonic() + patience_s
    while time.monotonic() < end_s and not condition():
        time.sleep(0.005)
    return time.monotonic()
