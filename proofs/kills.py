"""Kills in mid-save and mid-log by five signals; and the power cut at every point of the writes."""

import os
import select
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from random import Random

from yarddial.records import whole_file
from yarddial.records.entry import Entry
from yarddial.records.logbook import Logbook
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import YardDialError

KILLS = 500
SIGNALS = (signal.SIGKILL, signal.SIGSEGV, signal.SIGABRT, signal.SIGTERM, signal.SIGSTOP)
# Edits and logs at once, as a window does; says what is kept.
WORKER = """
import sys
from pathlib import Path
from yarddial.records.entry import Entry
from yarddial.records.logbook import Logbook
from yarddial.records.station_file import load_station
from yarddial.session.station.building import Building
from yarddial.session.station.desk import Desk
from yarddial.session.station.saving import BackgroundSave
folder = Path(sys.argv[1])
file, book = load_station(folder / "x.yard.json"), Logbook(folder / "log.sqlite")
desk = Desk(file.station, BackgroundSave(file.save))
building, number = Building(desk), 0
while True:
    number += 1
    building.set_value("Long wire", "note", f"edit {number}")
    book.add(Entry(station="s", kind="note", text=f"entry {number} " + "x" * (number * 37 % 3000)))
    sys.stdout.write(f"{number}\\n"); sys.stdout.flush()
"""


def prove() -> bool:
    """All three."""
    killed, cut_file, cut_log = _kills(), _power_cut_in_a_save(), _power_cut_in_the_log()
    return killed and cut_file and cut_log


def _kills() -> bool:
    chance, wrong, counts = Random(2026), [], Counter[str]()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path, logged = folder / "x.yard.json", 0
        StationFile(path, demo_station()).save(demo_station())
        for number in range(KILLS):
            StationFile(path, demo_station()).save(demo_station())
            chosen = SIGNALS[number % len(SIGNALS)]
            counts[chosen.name] += 1
            said = _until_killed(folder, chance.uniform(0.0, 0.08), chosen)
            try:
                note = load_station(path).station.part("Long wire").note
                book = Logbook(folder / "log.sqlite")
                there, check = (
                    book.count(),
                    sqlite3.connect(folder / "log.sqlite").execute("PRAGMA quick_check").fetchone(),
                )
                book.close()
            except YardDialError as fault:
                wrong.append(f"kill {number} by {chosen.name}: {fault}")
                continue
            kept = int(note.removeprefix("edit ")) if note.startswith("edit ") else 0
            if said and not said - 1 <= kept <= said + 1:
                wrong.append(f"kill {number} by {chosen.name}: {said} edits said, {kept} kept")
            if there < logged + said or check[0] != "ok":
                wrong.append(f"kill {number} by {chosen.name}: {logged + said} entries said, {there} kept, {check[0]}")
            logged = there
    for text in wrong[:10]:
        print(f"MISS {text}")
    signals = ", ".join(f"{what} {count}" for what, count in counts.items())
    print(f"{'MISS' if wrong else 'ok  '} {KILLS} kills ({signals}): {logged} entries, {len(wrong)} wrong")
    return not wrong


def _until_killed(folder: Path, seconds_s: float, chosen: signal.Signals) -> int:
    worker = subprocess.Popen(
        [sys.executable, "-c", WORKER, str(folder)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert worker.stdout is not None
    out = worker.stdout.fileno()
    select.select([out], [], [], 30)
    time.sleep(seconds_s)
    os.kill(worker.pid, chosen)
    if chosen is signal.SIGSTOP:
        # Stopped and let go on a few times, then killed.
        for _ in range(3):
            time.sleep(0.003)
            os.kill(worker.pid, signal.SIGCONT)
            time.sleep(0.003)
            os.kill(worker.pid, signal.SIGSTOP)
        os.kill(worker.pid, signal.SIGKILL)
    worker.wait()
    said = b""
    while chunk := os.read(out, 1 << 16):
        said += chunk
    worker.stdout.close()
    whole = said.rsplit(b"\n", 1)[0].split(b"\n")
    return int(whole[-1]) if whole and whole[-1] else 0


def _power_cut_in_a_save() -> bool:
    """The steps of a save are recorded; then the disk is made as it may be after each of them.

    What was not yet settled with fsync may have reached the disk by any part of its length, or not at all; names may
    be those before or after any step that no fsync of the folder has settled.
    """
    wrong, states = [], 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path = folder / "x.yard.json"
        file = StationFile(path, demo_station())
        file.save(demo_station())
        old = path.read_bytes()
        steps = _recorded(lambda: file.save(demo_station().with_part(_noted())))
        new = path.read_bytes()
        assert old != new
        print(f"     a save: {', '.join(what for what, _ in steps)}")
        for done in range(len(steps) + 1):
            for state in _disks(steps[:done], old, new):
                states += 1
                for there in folder.iterdir():
                    there.unlink()
                for at, content in state.items():
                    (folder / at).write_bytes(content)
                try:
                    whole_file.take_leftovers(path, older_than_s=-1.0)
                    load_station(path)
                    if path.read_bytes() not in (old, new):
                        wrong.append(f"after {done} steps: neither the old nor the new")
                    if len(list(folder.iterdir())) > 1:
                        wrong.append(f"after {done} steps: something is left lying")
                except YardDialError as error:
                    wrong.append(f"after {done} steps: {error}")
    for text in wrong[:10]:
        print(f"MISS {text}")
    print(f"{'MISS' if wrong else 'ok  '} power cut in a save: {states} states of the disk, {len(wrong)} not whole")
    return not wrong


def _noted() -> object:
    import msgspec

    return msgspec.structs.replace(demo_station().part("Long wire"), note="y" * 500)


def _recorded(act: object) -> list[tuple[str, str]]:
    """What a save asks of the system, in order: (step, name of the temporary file)."""
    steps: list[tuple[str, str]] = []
    real_fsync, real_swap, real_unlink = os.fsync, whole_file._swapped, Path.unlink
    real_open = os.open

    def opened(where: object, flags: int, *more: object, **others: object) -> int:
        handle = real_open(where, flags, *more, **others)  # type: ignore[arg-type]
        if flags & os.O_CREAT:
            steps.append(("create and write", Path(str(where)).name))
        return handle

    def fsync(handle: int) -> None:
        real_fsync(handle)
        is_folder = os.path.isdir(f"/proc/self/fd/{handle}")
        steps.append(("settle the folder" if is_folder else "settle the file", ""))

    def swapped(one: Path, other: Path) -> bool:
        steps.append(("swap the names", one.name))
        return real_swap(one, other)

    def unlink(self: Path, missing_ok: bool = False) -> None:
        steps.append(("take away", self.name))
        real_unlink(self, missing_ok)

    os.open, os.fsync, whole_file._swapped, Path.unlink = opened, fsync, swapped, unlink  # type: ignore[assignment, method-assign]
    try:
        act()  # type: ignore[operator]
    finally:
        os.open, os.fsync, whole_file._swapped, Path.unlink = real_open, real_fsync, real_swap, real_unlink  # type: ignore[method-assign]
    return steps


def _disks(steps: list[tuple[str, str]], old: bytes, new: bytes) -> list[dict[str, bytes]]:
    """Every state the disk may be in after these steps: names to contents."""
    target = "x.yard.json"
    is_settled = any(what == "settle the file" for what, _ in steps)
    parts = [new] if is_settled else [new[: len(new) * i // 40] for i in range(40)] + [new]
    found: list[dict[str, bytes]] = []
    # Names: any beginning of the changes that the last settling of the folder has not made sure of.
    sure = max((i + 1 for i, (what, _) in enumerate(steps) if what == "settle the folder"), default=0)
    for reached in range(sure, len(steps) + 1):
        for content in parts:
            names = {target: old}
            for what, name in steps[:reached]:
                if what == "create and write":
                    names[name] = content
                elif what == "swap the names":
                    names[target], names[name] = names[name], names[target]
                elif what == "take away":
                    names.pop(name, None)
            found.append(names)
    return found


def _power_cut_in_the_log() -> bool:
    """A log cut off at every stretch of what was written, rubbish behind it: whole, and what was settled is in it."""
    wrong, states, chance = [], 0, Random(3)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path = folder / "log.sqlite"
        book = Logbook(path)
        lengths = []
        for number in range(40):
            book.add(Entry(station="s", kind="note", text=f"entry {number} " + "x" * (number * 97 % 5_000)))
            # Settled at this length of the write-ahead file.
            lengths.append((folder / "log.sqlite-wal").stat().st_size)
        main, ahead = path.read_bytes(), (folder / "log.sqlite-wal").read_bytes()
        book.close()
        for cut in sorted(
            {*range(0, len(ahead), 1_024), *(chance.randrange(len(ahead)) for _ in range(200)), len(ahead)}
        ):
            for there in folder.iterdir():
                there.unlink()
            path.write_bytes(main)
            rubbish = bytes(chance.randrange(256) for _ in range(chance.choice((0, 100, 4_096))))
            (folder / "log.sqlite-wal").write_bytes(ahead[:cut] + rubbish)
            states += 1
            owed = sum(length <= cut for length in lengths)
            again = Logbook(path)
            texts = [entry.text.split()[1] for entry in again.entries()]
            check = again._connection.execute("PRAGMA integrity_check").fetchone()[0]
            again.close()
            if check != "ok" or len(texts) < owed or texts != [str(i) for i in range(len(texts))][::-1]:
                wrong.append(f"cut at {cut}: {check}, {len(texts)} of {owed} entries")
    for text in wrong[:10]:
        print(f"MISS {text}")
    print(f"{'MISS' if wrong else 'ok  '} power cut in the log: {states} cuts, {len(wrong)} wrong")
    return not wrong
