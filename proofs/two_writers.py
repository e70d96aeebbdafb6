"""Two windows, and an editor or a script, on one station file in random order, with kills: no edit is lost."""

import contextlib
import json
import os
import select
import signal
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from random import Random

from yarddial import wiring
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import YardDialError

INTERLEAVINGS, STEPS = 1_000, (8, 24)
# Each writer edits the note of a part of its own, with rising numbers.
PARTS = {"first": "Long wire", "second": "Discone", "foreign": "Dish"}
SIGNALS = (signal.SIGKILL, signal.SIGSEGV, signal.SIGABRT, signal.SIGTERM)


def prove() -> bool:
    """At the end each writer's last edit is in the file, or in a version kept beside it."""
    counts, lost = Counter[str](), []
    many = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else INTERLEAVINGS
    for number in range(many):
        with tempfile.TemporaryDirectory() as folder:
            lost += Interleaving(Path(folder), number, counts).run()
    for text in lost[:20]:
        print(f"MISS {text}")
    said = ", ".join(f"{what} {count}" for what, count in sorted(counts.items()))
    print(f"{many} interleavings ({said}): {len(lost)} edits lost")
    return not lost


class Window:
    """A session on the file in a process of its own, told what to do line by line."""

    def __init__(self, path: Path, part: str) -> None:
        self.part = part
        here, self._tell = os.pipe()
        self._hear, there = os.pipe()
        self.pid = os.fork()
        if not self.pid:
            os.close(self._tell)
            os.close(self._hear)
            code = 1
            try:
                _work(path, part, here, there)
                code = 0
            except BaseException as fault:
                os.write(there, f"fault {type(fault).__name__}: {fault}\n".encode())
            finally:
                os._exit(code)
        os.close(here)
        os.close(there)
        self._said = b""

    def tell(self, line: str) -> None:
        with contextlib.suppress(BrokenPipeError):
            os.write(self._tell, f"{line}\n".encode())

    def heard(self, wait_s: float) -> list[str]:
        """What it has said up to now."""
        while select.select([self._hear], [], [], wait_s)[0] and (part := os.read(self._hear, 1 << 16)):
            self._said += part
            wait_s = 0.0
        *lines, self._said = self._said.split(b"\n")
        return [line.decode() for line in lines]

    def end(self, number: int | None) -> list[str]:
        """Kill it with a signal, or let it close; what it said until then."""
        if number is None:
            self.tell("close")
        else:
            os.kill(self.pid, number)
        os.waitpid(self.pid, 0)
        lines = self.heard(0.1)
        os.close(self._tell)
        os.close(self._hear)
        return lines


def _work(path: Path, part: str, here: int, there: int) -> None:
    """Commands: edit N, tick, dial, close. An edit is said when it is made, and that it is kept when it is."""
    try:
        session = wiring.open_session(path)
    except YardDialError:
        # Half written at this moment: a person would try again.
        os.write(there, b"refused 0\n")
        return
    last = 0
    for line in os.fdopen(here):
        what, _, number = line.strip().partition(" ")
        if what == "edit":
            last = int(number)
            session.building.set_value(part, "note", number)
        elif what == "dial":
            session.desk.dial(1e6 + time.monotonic_ns() % 20_000_000)
        elif what == "tick":
            session.desk.save_dial(wait=True)
            session.desk.save_dial(wait=True)
            saver = session.file.saver
            if saver is not None and saver.conflict is not None:
                _choose(session)
            if saver is not None and saver.conflict is None and not session.desk.save_trouble:
                os.write(there, f"kept {last}\n".encode())
        elif what == "close":
            session.close()
            os.write(there, f"closed {last}\n".encode())
            return


def _choose(session: object) -> None:
    """As a person does who keeps what was done here, and takes what was done elsewhere."""
    saver, desk = session.file.saver, session.desk  # type: ignore[attr-defined]
    chosen = {one.key: one.usual for one in saver.differences(desk.station)}
    try:
        session.file.merge_versions(chosen)  # type: ignore[attr-defined]
    except YardDialError:
        session.file.merge_versions(dict.fromkeys(chosen, "here"))  # type: ignore[attr-defined]
    desk.save_dial(wait=True)


class Interleaving:
    """One random order of everything."""

    def __init__(self, folder: Path, number: int, counts: Counter[str]) -> None:
        os.environ["XDG_DATA_HOME"], os.environ["XDG_STATE_HOME"] = str(folder / "data"), str(folder / "state")
        self._folder, self._number, self._counts, self._chance = folder, number, counts, Random(number)
        self._path = folder / "yard" / "my.yard.json"
        self._path.parent.mkdir()
        StationFile(self._path, demo_station()).save(demo_station())
        self._windows: dict[str, Window] = {}
        self._made = dict.fromkeys(PARTS, 0)
        # Of each writer the last edit that must be found.
        self._owed = dict.fromkeys(PARTS, 0)
        # What the foreign program has read and not yet written.
        self._open: dict[str, object] | None = None

    def run(self) -> list[str]:
        chance = self._chance
        for _ in range(chance.randint(*STEPS)):
            who = chance.choice(("first", "second", "first", "second", "foreign"))
            getattr(self, "_foreign" if who == "foreign" else "_window_step")(*([] if who == "foreign" else [who]))
            if chance.random() < 0.3:
                time.sleep(chance.choice((0.001, 0.004, 0.02)))
        if self._open is not None:
            self._foreign()
        for who in tuple(self._windows):
            for _ in range(3):
                self._windows[who].tell("tick")
            self._hear(who, self._windows.pop(who).end(None))
        wiring.open_session(self._path).close()
        return self._lost()

    def _window_step(self, who: str) -> None:
        chance, window = self._chance, self._windows.get(who)
        if window is None:
            self._windows[who] = Window(self._path, PARTS[who])
            self._counts["windows"] += 1
            return
        what = chance.choice(("edit", "edit", "edit", "tick", "dial", "close", "kill", "pause"))
        self._counts[what] += 1
        if what == "edit":
            self._made[who] += 1
            window.tell(f"edit {self._made[who]}")
        elif what in ("tick", "dial"):
            window.tell(what)
        elif what == "pause":
            os.kill(window.pid, signal.SIGSTOP)
            time.sleep(chance.choice((0.001, 0.01)))
            os.kill(window.pid, signal.SIGCONT)
        else:
            self._hear(who, self._windows.pop(who).end(chance.choice(SIGNALS) if what == "kill" else None))
            return
        if chance.random() < 0.5:
            self._hear(who, window.heard(0.05))

    def _hear(self, who: str, lines: list[str]) -> None:
        for line in lines:
            what, _, rest = line.partition(" ")
            if what == "refused":
                self._counts["files half written when opened"] += 1
                if who in self._windows:
                    self._windows.pop(who).end(None)
            elif what == "fault":
                self._owed[who] = -1
                self._counts[f"fault {rest[:60]}"] += 1
            elif self._owed[who] >= 0:
                self._owed[who] = max(self._owed[who], int(rest))

    def _foreign(self) -> None:
        """An editor that reads, waits, and writes into the file as it stands; or a script that replaces it."""
        if self._open is None:
            try:
                self._open = json.loads(self._path.read_bytes())
            except (OSError, ValueError):
                self._open = None
            return
        raw, self._open = self._open, None
        self._made["foreign"] += 1
        part = next(one for one in raw["parts"] if one["name"] == PARTS["foreign"])  # type: ignore[attr-defined]
        part["note"] = str(self._made["foreign"])
        data = json.dumps(raw, indent=1).encode()
        if self._number % 2:
            self._counts["editor's writes"] += 1
            with self._path.open("wb", buffering=0) as file:
                half = self._chance.randrange(len(data))
                file.write(data[:half])
                time.sleep(self._chance.choice((0.0, 0.002)))
                file.write(data[half:])
        else:
            self._counts["script's writes"] += 1
            aside = self._path.with_name("script.tmp")
            aside.write_bytes(data)
            os.replace(aside, self._path)
        self._owed["foreign"] = self._made["foreign"]

    def _lost(self) -> list[str]:
        kept: dict[str, set[int]] = {who: set() for who in PARTS}
        places = [self._path, *(self._folder / "data").rglob("*.yard.json"), *self._path.parent.glob("*-found-*")]
        for place in places:
            try:
                station = load_station(place).station
            except YardDialError:
                if place == self._path:
                    return [f"{self._number}: the file itself cannot be read"]
                continue
            for who, name in PARTS.items():
                note = station.part(name).note
                kept[who].add(int(note) if note.isdigit() else 0)
        return [
            f"{self._number}: edit {owed} of the {who} writer, kept {sorted(kept[who])[-5:]}"
            for who, owed in self._owed.items()
            if owed < 0 or max(kept[who]) < owed
        ]
