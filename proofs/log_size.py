"""What a person waits for, with logs of 1,000, 50,000 and 1,000,000 entries; as ratios to the smallest."""

import json
import sqlite3
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median

from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.drivers.time_source import VirtualTime
from yarddial.engine.link import EngineInline
from yarddial.records.log_data import LoggedObservation, log_builtins
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.demo import demo_station
from yarddial.yard.observation import Observation

SIZES = (1_000, 50_000, 1_000_000)
# From a thousand to a million the logarithm doubles; half as much again is the noise of a shared machine.
MOST_RATIO = 3.0
# Shorter times are not told from nothing by a person: a tenth of a second is felt as at once.
AT_ONCE_S = 0.1


def prove() -> bool:
    """Logs of a year of one yard: an observation in four, the rest notes; every twentieth entry of another yard."""
    times: dict[str, list[float]] = {}
    with tempfile.TemporaryDirectory() as name:
        for size in SIZES:
            path = Path(name) / f"{size}.sqlite"
            begun_s = time.perf_counter()
            _fill(path, size)
            print(
                f"     {size:,} entries made in {time.perf_counter() - begun_s:.0f} s, {path.stat().st_size >> 20} MB"
            )
            for what, took_s in _times(path).items():
                times.setdefault(what, []).append(took_s)
    good = True
    for what, found in times.items():
        ratios = [took_s / found[0] for took_s in found]
        fine = ratios[-1] <= MOST_RATIO or found[-1] <= AT_ONCE_S
        good = good and fine
        shown = ", ".join(f"{1e3 * took_s:.1f} ms (x {r:.2f})" for took_s, r in zip(found, ratios, strict=True))
        print(f"{'ok  ' if fine else 'MISS'} {what}: {shown}")
    return good


def _fill(path: Path, size: int) -> None:
    Logbook(path).close()
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("PRAGMA synchronous=OFF")
    other.execute("BEGIN")
    now_s = clock.now().timestamp()
    step_s = 365.0 * 86_400 / size
    insert = (
        "INSERT INTO entries (at_utc, station, kind, route, method, reference, text, data) VALUES (?,?,?,?,?,?,?,?)"
    )
    for i in range(size):
        at_s = now_s - (size - i) * step_s
        at = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime(at_s))
        yard = "Elsewhere" if i % 20 == 7 else "Quillet Lane"
        if i % 4 == 0:
            hertz = 88e6 + 1e5 * (i % 200)
            seen = Observation("Finch", hertz, 1.0, hertz / (1 + 27e-6), 0.1, (), reference_name="Harbour", at_utc=at)
            data = json.dumps(log_builtins(LoggedObservation(seen, {"crystal:Finch": (27.0, 0.01)})))
            row = (
                at,
                yard,
                "observation",
                "Discone direct",
                "carrier",
                "Harbour",
                f"Harbour measured, number {i}",
                data,
            )
        else:
            row = (at, yard, "note", "", "", "", f"rain and wind, number {i}" + (" lightning" * (i == size // 2)), "{}")
        other.execute(insert, row)
    other.execute("COMMIT")
    other.close()


def _times(path: Path) -> dict[str, float]:
    def session() -> Session:
        return Session(
            demo_station(), EngineInline(lambda at: SimulatedDriver().open(at, VirtualTime())), lambda: Logbook(path)
        )

    def first_poll() -> None:
        made = session()
        made.poll()
        made.close()

    found = {"first poll": _timed(first_poll)}
    open_one = session()
    open_one.poll()
    while open_one.background.is_busy:
        open_one.poll()
    log = open_one.log
    found["board of bands"] = _timed(open_one.board.rows)
    found["Log place"] = _timed(log.shown)
    found["one note"] = _timed(lambda: open_one.notes.add("a note"))
    found["search, a word in every entry"] = _timed(lambda: log.shown(words="number"))
    found["search, a word in one entry"] = _timed(lambda: log.shown(words="lightning"))
    found["search, words in none"] = _timed(lambda: log.shown(words="lightning harbour"))
    found["older entries"] = _timed(lambda: log.shown(before_id=log.count // 2))
    open_one.close()
    return found


def _timed(act: Callable[[], object]) -> float:
    times = []
    for _ in range(9):
        begun_s = time.perf_counter()
        act()
        times.append(time.perf_counter() - begun_s)
    return median(times)
