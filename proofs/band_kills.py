"""Kill -9 while all bands of the demo yard are proven, ten times: the run goes on, and proves every band once."""

import collections
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random

from yarddial.records.log_data import LoggedBandRun
from yarddial.records.logbook import Logbook
from yarddial.yard.demo import demo_station

KILLS, LONGEST_S = 10, 900.0
# One sitting: begin or go on, and poll until the run has ended.
SITTING = """
import sys
from pathlib import Path
from yarddial import wiring
from yarddial.records.logbook import Logbook
from yarddial.engine.link import EngineInline
from yarddial.session.session import Session
from yarddial.yard.demo import demo_station
session = Session(demo_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(Path(sys.argv[1])))
session.poll()
unfinished = session.band_run.unfinished()
print(len([row for row in session.board.rows() if row.route]), bool(unfinished), flush=True)
if unfinished or sys.argv[2] == "begin":
    session.band_run.start()
    while session.band_run.running:
        session.poll()
session.close()
"""


def prove() -> bool:
    """Each sitting is a process of its own; what the log took is all that the next one knows."""
    chance, begun, before = Random(7), time.monotonic(), 0
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "log.sqlite"
        reachable, kills = 0, 0
        for number in range(KILLS + 1):
            last = number == KILLS
            sitting = subprocess.Popen(
                [sys.executable, "-c", SITTING, str(path), "begin" if not number else "go on"],
                stdout=subprocess.PIPE, text=True,
            )  # fmt: skip
            assert sitting.stdout is not None
            count, unfinished = sitting.stdout.readline().split()
            reachable = int(count)
            if number and unfinished != "True":
                print(f"     the run ended before kill {number + 1}")
                sitting.wait()
                break
            if last:
                sitting.wait(timeout=LONGEST_S)
            else:
                # Somewhere in the next few bands, in the middle of whatever it does.
                time.sleep(chance.uniform(4.0, 24.0))
                sitting.send_signal(signal.SIGKILL)
                sitting.wait()
                kills += 1
                done = len(_done(path))
                print(
                    f"     kill {number + 1}: {done} of {reachable} bands are in the log, {done - before} of them new"
                )
                before = done
        book = Logbook(path)
        ended = [entry for entry in _steps(book) if entry.ended]
        done, failed = collections.Counter(_done(path)), _failed(path)
        book.close()
    twice = [band for band, times in done.items() if times > 1]
    good = len(done) == reachable and not twice and len(ended) == 1
    print(
        f"{'ok  ' if good else 'MISS'} {kills} kills: {len(done)} of {reachable} bands proven, {len(twice)} twice, "
        f"the run ended {len(ended)} time{'s' if len(ended) != 1 else ''}; {failed} tries failed; "
        f"{time.monotonic() - begun:.0f} s on '{demo_station().name}'"
    )
    return good


def _steps(book: Logbook) -> list[LoggedBandRun]:
    return [entry.data for entry in book.entries("band run") if isinstance(entry.data, LoggedBandRun)]


def _done(path: Path) -> list[str]:
    """Bands that the log says are proven."""
    book = Logbook(path)
    found = [step.band for step in _steps(book) if step.band and not step.failed]
    book.close()
    return found


def _failed(path: Path) -> int:
    book = Logbook(path)
    count = sum(bool(step.failed) for step in _steps(book))
    book.close()
    return count
