"""Kill -9 during log writes: every committed entry is there."""

import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from yarddial.records.logbook import Logbook

KILLS = 200
WRITER = """
import sys
from pathlib import Path
from yarddial.records.entry import Entry
from yarddial.records.logbook import Logbook
book = Logbook(Path(sys.argv[1]))
n = 0
while True:
    n += 1
    book.add(Entry(station="s", kind="note", text=f"entry {n} " + "x" * (n % 3000), data={"n": n}))
    print(n, flush=True)
"""


def prove() -> bool:
    """Each writer says what is committed; after its death all of that must be readable."""
    chance = random.Random(5)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "log.sqlite"
        total = lost = 0
        for _ in range(KILLS):
            writer = subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True)
            assert writer.stdout is not None
            writer.stdout.readline()
            time.sleep(chance.uniform(0, 0.08))
            writer.send_signal(signal.SIGKILL)
            said = 1 + sum(1 for line in writer.stdout if line.endswith("\n"))
            writer.wait()
            there = len(Logbook(path).entries(most=10_000_000))
            lost += max(total + said - there, 0)
            total = there
    good = lost == 0
    print(f"{'ok  ' if good else 'MISS'} {KILLS} kills, {total} entries committed, {lost} lost")
    return good
