"""Mutated files of every kind that is read, and special files in their place: a sentence or a good load, at once."""

import faulthandler
import os
import resource
import signal
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from random import Random

import numpy as np

from mutation import good_files, mutated, use
from yarddial.records.band_file import read_bands, write_bands
from yarddial.records.entry import Entry
from yarddial.records.log_copies import LogCopies
from yarddial.records.log_data import LoggedObservation, LoggedPeak, LoggedSpanTest
from yarddial.records.logbook import Logbook
from yarddial.records.observation_file import read_observations, write_observations
from yarddial.records.recent import RecentFiles
from yarddial.records.recordings import open_recording, write_sigmf
from yarddial.records.sounds import read_sound
from yarddial.records.strong_file import read_strong, write_strong
from yarddial.session.bands.band_board import BoardRequest
from yarddial.session.calibration.oscillator_history import histories
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import YardDialError
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import known_oscillators
from yarddial.yard.strong import Strong

FILES = 100_000
PATIENCE_S, MOST_MB, MOST_LETTERS = 5, 500, 300
# Shares of all files; the rest of a hundredth is for whole sessions on mutated logs.
SHARES = {
    "station": 20, "part": 10, "s2p": 10, "bands.csv": 7, "bands.json": 7, "strong": 7, "observations": 8, "recent": 3,
    "sigmf": 8, "wav": 5, "rf64": 3, "raw": 2, "sound": 2, "log rows": 5, "log pages": 3,
}  # fmt: skip
NAMES = {
    "station": "x.yard.json", "part": "x.part.json", "s2p": "x.s2p", "bands.csv": "x.csv", "bands.json": "x.json",
    "strong": "x.csv", "observations": "x.csv", "recent": "recent.json", "sigmf": "x.sigmf-meta", "wav": "x.wav",
    "rf64": "x.rf64", "raw": "x.raw", "sound": "x.wav", "log rows": "log.sqlite", "log pages": "log.sqlite",
}  # fmt: skip
SPECIAL = ("/dev/zero", "/dev/null", "/dev/full", "/dev/random", "/dev/tty", "/dev/ptmx", "/proc/self/mem",
           "/proc/kmsg", "/proc/self/pagemap", "/sys/kernel/notes", "folder", "pipe", "socket", "loop", "gone",
           "sparse")  # fmt: skip


def prove() -> bool:
    """Each file by its reader, as the window or a command would use it; one that loads well is put to use."""
    signal.signal(signal.SIGALRM, _too_long)
    if len(sys.argv) > 3:
        faulthandler.dump_traceback_later(float(sys.argv[3]), exit=True)
    told, wrong = Counter[str](), []
    slowest = (0.0, "")
    count = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else FILES
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        seeds, chance = _all_seeds(folder), Random(2026)
        kinds = [kind for kind, share in SHARES.items() for _ in range(share)]
        # The peak of making the seeds is not what is measured.
        for number in range(count):
            kind = kinds[number % len(kinds)]
            path = folder / NAMES[kind]
            try:
                _write(path, kind, chance, seeds)
            except (ValueError, KeyError, TypeError, RecursionError, sqlite3.Error, OverflowError):
                path.write_bytes(b"{")
            took_s = _one(lambda p=path, k=kind: USES[k](p), f"{kind} {number}", kind, told, wrong)
            slowest = max(slowest, (took_s, f"{kind} {number}"))
        for kind in NAMES:
            for special in SPECIAL:
                path = folder / f"special-{NAMES[kind]}"
                closer = _special(path, special)
                took_s = _one(lambda p=path, k=kind: USES[k](p), f"{kind} as {special}", "special", told, wrong)
                slowest = max(slowest, (took_s, f"{kind} as {special}"))
                closer()
    for what, many in sorted(told.items()):
        print(f"{many:7d} {what}")
    for text in wrong[:20]:
        print(f"MISS {text}")
    peak_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(
        f"{count} files of {len(NAMES)} kinds and {len(SPECIAL)} special files for each: {len(wrong)} wrong "
        f"(tracebacks, hangs over {PATIENCE_S} s, or more than a sentence); slowest {slowest[0]:.2f} s ({slowest[1]}); "
        f"memory {peak_mb:.0f} MB at most"
    )
    return not wrong and peak_mb < MOST_MB


def _one(use: Callable[[], None], what: str, kind: str, told: Counter[str], wrong: list[str]) -> float:
    begun = time.perf_counter()
    signal.alarm(PATIENCE_S)
    try:
        use()
        told[f"{kind}: loads well"] += 1
    except YardDialError as refused:
        said = str(refused)
        good = "\n" not in said and 0 < len(said) <= MOST_LETTERS
        told[f"{kind}: {'refused in a sentence' if good else 'refused badly'}"] += 1
        if not good:
            wrong.append(f"{what}: {len(said)} letters, {said[:150]!r}")
    except KeyboardInterrupt:
        raise
    except BaseException as fault:
        wrong.append(f"{what}: {type(fault).__name__}: {fault}"[:250])
    finally:
        signal.alarm(0)
    return time.perf_counter() - begun


# What each kind is put to


def _use_bands(path: Path) -> None:
    demo_station().with_own_bands(read_bands(path))


def _use_recording(path: Path) -> None:
    found = open_recording(path)
    found.read(0, 4_096)


def _use_raw(path: Path) -> None:
    for sample_format in ("cu8", "cf32"):
        open_recording(path, sample_format, 48_000.0).read(0, 4_096)


def _use_recent(path: Path) -> None:
    RecentFiles(path).paths()


def _use_log(path: Path) -> None:
    """As a session does: opened, read in every way, added to; a damaged one restored."""
    station = demo_station()
    keeper = LogKeeper(lambda: Logbook(path))
    keeper.open()
    if not keeper.is_open and not keeper.is_damaged:
        raise YardDialError(keeper.trouble)
    names = known_oscillators(station).names
    histories(station, keeper.of_oscillators(station.name, names))
    BoardRequest(station, known_oscillators(station), frozenset(), keeper.of_places(station.name))._proofs()
    keeper.entries("observation", station.name, since_utc="2026-01-01T00:00:00Z")
    keeper.shown()
    keeper.shown(words="measured x")
    keeper.add(Entry(station=station.name, kind="note", text="one more"))
    if keeper.is_damaged:
        keeper.restore()
        if not any(entry.text == "one more" for entry in keeper.shown()):
            raise AssertionError("what waited is not in the restored log")
    elif keeper.waiting and not keeper.trouble:
        raise AssertionError("an entry waits without a word")
    LogCopies(path).make()
    if keeper._book is not None:
        keeper._book.close()


USES: dict[str, Callable[[Path], object]] = {
    "station": lambda path: use(path, "station"), "part": lambda path: use(path, "part"),
    "s2p": lambda path: use(path, "s2p"), "bands.csv": _use_bands, "bands.json": _use_bands, "strong": read_strong,
    "observations": read_observations, "recent": _use_recent, "sigmf": _use_recording, "wav": _use_recording,
    "rf64": _use_recording, "raw": _use_raw, "sound": read_sound, "log rows": _use_log, "log pages": _use_log,
}  # fmt: skip

# What they begin with


def _all_seeds(folder: Path) -> dict[str, list[bytes]]:
    import soundfile

    chance = np.random.default_rng(3)
    begun = good_files(folder)
    station = demo_station()
    write_bands(folder / "seed.csv", station.bands[:6])
    begun["bands.csv"] = [(folder / "seed.csv").read_bytes()]
    write_bands(folder / "seed.json", station.bands[:6])
    begun["bands.json"] = [(folder / "seed.json").read_bytes()]
    write_strong(folder / "seed.csv", [Strong(1e6 * i, -30.0 - i, f"S{i}", 9e3) for i in range(1, 9)])
    begun["strong"] = [(folder / "seed.csv").read_bytes()]
    write_observations(folder / "seed.csv", [_seen(i) for i in range(1, 9)], [0.1] * 8)
    begun["observations"] = [(folder / "seed.csv").read_bytes()]
    begun["recent"] = [b'["/tmp/a.yard.json", "/tmp/b.yard.json"]']
    samples = (0.1 * (chance.standard_normal(2_000) + 1j * chance.standard_normal(2_000))).astype(np.complex64)
    mark = {"core:sample_start": 5, "core:sample_count": 9}
    made = write_sigmf(folder / "x", [samples], 48e3, 10e6, {"annotations": [mark]})
    begun["sigmf"] = [made.path.read_bytes()]
    parts = samples.view(np.float32).reshape(-1, 2)
    for kind, form, sub in (("wav", "WAV", "PCM_16"), ("wav", "WAV", "FLOAT"), ("rf64", "RF64", "PCM_24")):
        soundfile.write(folder / "seed.wav", parts, 48_000, format=form, subtype=sub)
        begun.setdefault(kind, []).append((folder / "seed.wav").read_bytes())
    soundfile.write(folder / "seed.wav", parts[:, 0], 8_000)
    begun["sound"] = [(folder / "seed.wav").read_bytes()]
    begun["raw"] = [bytes(parts.tobytes())]
    book = Logbook(folder / "seed.sqlite")
    for i in range(1, 25):
        data = LoggedObservation(_seen(i), {"crystal:Finch": (27.0, 0.1), "lo:Ladder": (412.0, 1.0)})
        book.add(
            Entry(station=station.name, kind="observation", text=f"measured {i}", data=data, route="Discone direct")
        )
        peaks = (LoggedPeak(1e6 * i, "ghost", "x", "mirror"), LoggedPeak(2e6 * i, "true", ""))
        book.add(Entry(station=station.name, kind="ghosts", text="tested", data=LoggedSpanTest(peaks)))
        book.add(Entry(station=station.name, kind="note", text=f"rain {i}"))
    book.close()
    begun["log rows"] = begun["log pages"] = [(folder / "seed.sqlite").read_bytes()]
    old = Path(__file__).parents[1] / "tests/records/files/log-of-version-1.sqlite"
    begun["log rows"] = [*begun["log rows"], old.read_bytes()]
    return begun


def _seen(i: int) -> Observation:
    return Observation(
        "Finch", 1e6 * i + 60e6, 1.0, 1e6 * i + 60e6 - 1_600, 0.1, (), reference_name=f"R{i}",
        at_utc="2026-11-25T08:30:00Z",
    )  # fmt: skip


def _write(path: Path, kind: str, chance: Random, seeds: dict[str, list[bytes]]) -> None:
    content = chance.choice(seeds[kind])
    if kind == "log rows":
        _mutate_rows(path, content, chance)
        return
    if kind == "log pages":
        data = bytearray(content)
        for _ in range(chance.choice((1, 1, 2, 5, 40))):
            at, size = chance.randrange(len(data)), chance.choice((1, 2, 16, 512, 4096))
            data[at : at + size] = bytes(chance.randrange(256) for _ in range(min(size, len(data) - at)))
        if chance.random() < 0.2:
            del data[chance.randrange(len(data)) :]
        _fresh(path)
        path.write_bytes(data)
        return
    path.write_bytes(mutated(content, chance))


_ODD = (
    None, "", "null", "[]", "{}", "{", "yesterday", "99999-01-01T00:00:00Z", b"\xff\xfe\x00", -1, 2**62, 1e308,
    "x" * 3_000, '{"type":"observation"}', '{"type":"observations","observations":[{}]}',
    '{"oscillators":{"crystal:Finch":["a"]}}', '{"observation":{"reference_hz":"x"}}', '{"observations":7}',
    "[" * 2_000, '{"peaks":[1,{"dial_hz":"x"}]}',
)  # fmt: skip


def _mutate_rows(path: Path, content: bytes, chance: Random) -> None:
    _fresh(path)
    path.write_bytes(content)
    other = sqlite3.connect(path, isolation_level=None)
    try:
        columns = ("at_utc", "station", "kind", "route", "method", "reference", "temperature_c", "text", "data")
        last = other.execute("SELECT max(id) FROM entries").fetchone()[0]
        for _ in range(chance.choice((1, 2, 5, 30))):
            column, number = chance.choice((*columns, "data", "data")), chance.randint(1, last)
            value: object = chance.choice(_ODD)
            if column == "data" and chance.random() < 0.7:
                told = other.execute("SELECT data FROM entries WHERE id=?", (number,)).fetchone()
                raw = told[0] if told and isinstance(told[0], str) else "{}"
                value = mutated(raw.encode("utf-8", "replace"), chance).decode("utf-8", "replace")
            other.execute(f"UPDATE OR IGNORE entries SET {column}=? WHERE id=?", (value, number))
        if chance.random() < 0.1:
            change = ("ALTER TABLE entries RENAME COLUMN text TO told", "DROP TABLE points", "DROP TABLE words",
                      "DROP INDEX entries_by_kind", "DELETE FROM counts", "PRAGMA user_version=1",
                      "UPDATE counts SET entries='x'", "DROP TRIGGER entry_added",
                      "PRAGMA user_version=77")  # fmt: skip
            other.execute(chance.choice(change))
    finally:
        other.close()


def _fresh(path: Path) -> None:
    for old in path.parent.glob(f"{path.stem}*"):
        if old.is_file():
            old.unlink()
        else:
            for file in old.iterdir():
                file.unlink()


def _special(path: Path, what: str) -> Callable[[], object]:
    """Put something that is no file in a file's place; gives what takes it away."""
    if what == "folder":
        path.mkdir()
        return lambda: _empty_folder(path)
    if what == "pipe":
        os.mkfifo(path)
    elif what == "socket":
        import socket

        end = socket.socket(socket.AF_UNIX)
        end.bind(str(path))
        end.close()
    elif what == "loop":
        path.symlink_to(path.name)
    elif what == "sparse":
        with path.open("wb") as file:
            file.truncate(50 << 30)
    elif what != "gone":
        path.symlink_to(what)
    return lambda: [p.unlink(missing_ok=True) for p in path.parent.glob(f"{path.stem}*") if not p.is_dir()]


def _empty_folder(path: Path) -> None:
    import shutil

    shutil.rmtree(path, ignore_errors=True)
    for left in path.parent.glob(f"{path.stem}*"):
        shutil.rmtree(left, ignore_errors=True) if left.is_dir() else left.unlink()


def _too_long(*_: object) -> None:
    raise TimeoutError(f"took more than {PATIENCE_S} s")
