"""Bad files, folders and disks: what each one is told. One sentence, nothing lost, never a traceback."""

import json
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from yarddial.records.entry import Entry
from yarddial.records.logbook import Logbook
from yarddial.records.recordings import write_sigmf
from yarddial.session.log.log_keeper import LogKeeper


def prove() -> bool:
    """Each case is run through the command line as a person would, and its answer printed."""
    good = True
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for what, make in _cases(folder).items():
            good = _told(what, make()) and good
        good = _locked_log(folder) and good
        good = _full_disk(folder) and good
    return good


def _cases(folder: Path) -> dict[str, Callable[[], list[str]]]:
    def sigmf(change: Callable[[Path, Path], None]) -> list[str]:
        meta = write_sigmf(folder / "r", [np.full(5000, 0.1, np.complex64)], 48e3, 10e6, {}).path
        change(meta, meta.with_suffix(".sigmf-data"))
        return ["measure", str(meta)]

    def meta_with(**changes: object) -> Callable[[Path, Path], None]:
        def change(meta: Path, _: Path) -> None:
            raw = json.loads(meta.read_text())
            raw["global"].update({key.replace("_", ":", 1): value for key, value in changes.items()})
            meta.write_text(json.dumps(raw))

        return change

    def wav(content: bytes | None, channels: int = 2) -> list[str]:
        path = folder / "x.wav"
        soundfile.write(path, np.zeros((4000, channels)), 48_000)
        if content is not None:
            path.write_bytes(content)
        return ["measure", str(path)]

    return {
        "SigMF, data cut in a sample": lambda: sigmf(lambda m, d: d.write_bytes(d.read_bytes()[:777])),
        "SigMF, data empty": lambda: sigmf(lambda m, d: d.write_bytes(b"")),
        "SigMF, data missing": lambda: sigmf(lambda m, d: d.unlink()),
        "SigMF, description cut": lambda: sigmf(lambda m, d: m.write_text(m.read_text()[:80])),
        "SigMF, lies about its type": lambda: sigmf(meta_with(core_datatype="cf64_le")),
        "SigMF, lies about its rate": lambda: sigmf(meta_with(core_sample_rate=0)),
        "SigMF, lies about its contents": lambda: sigmf(meta_with(core_sha512="ab" * 64)),
        "SigMF, silent": lambda: sigmf(lambda m, d: d.write_bytes(b"\x80" * 10_000)),
        "WAV, cut": lambda: wav(Path(wav(None)[1]).read_bytes()[:5000]),
        "WAV, empty": lambda: wav(b""),
        "WAV, text": lambda: wav(b"hello, world"),
        "WAV, one channel": lambda: wav(None, 1),
        "WAV, silent": lambda: wav(None),
        "wrong kind of file": lambda: ["measure", __file__],
        "unwritable folder": lambda: ["simulate", "/proc/x", "--centre", "10M", "--seconds", "0.01"],
        "full disk": lambda: ["simulate", "/dev/full/x", "--centre", "10M", "--seconds", "0.01"],
    }


def _told(what: str, arguments: list[str]) -> bool:
    done = subprocess.run(
        [sys.executable, "-m", "yarddial", *arguments], capture_output=True, text=True, timeout=60, check=False
    )
    good = (
        done.returncode in (1, 2)
        and not done.stdout
        and done.stderr.count("\n") == 1
        and "Traceback" not in done.stderr
    )
    print(f"{'ok  ' if good else 'MISS'} {what}: {done.stderr.strip()}", flush=True)
    return good


def _locked_log(folder: Path) -> bool:
    keeper = LogKeeper(lambda: Logbook(folder / "log.sqlite"))
    other = sqlite3.connect(folder / "log.sqlite", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    keeper.add(Entry(station="s", kind="note", text="kept"))
    said = keeper.trouble
    other.execute("ROLLBACK")
    keeper.retry()
    good = bool(said) and Logbook(folder / "log.sqlite").entries()[0].text == "kept"
    print(f"{'ok  ' if good else 'MISS'} log locked by another process: {said} (entry written once it was free)")
    return good


def _full_disk(folder: Path) -> bool:
    """A small disk of its own, filled to the brim; needs root to mount one."""
    disk = folder / "disk"
    disk.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "none", str(disk)], capture_output=True, check=False
    )
    if mounted.returncode:
        print("     full disk under the log: not tried, no small disk can be mounted here (tests use SQLite's limit)")
        return True
    try:
        keeper = LogKeeper(lambda: Logbook(disk / "log.sqlite"))
        for n in range(400):
            keeper.add(Entry(station="s", kind="note", text=f"{n} " + "x" * 4000))
        said, kept = keeper.trouble, keeper.count - keeper.waiting
        recording = _told("recording on a full disk", ["simulate", str(disk / "x"), "--centre", "10M"])
        left = [path.name for path in disk.iterdir() if "x.sigmf" in path.name]
        if keeper._book is not None:
            keeper._book.close()  # type: ignore[attr-defined]
        good = "full" in said and kept + keeper.waiting == 400 and recording and not left
        print(
            f"{'ok  ' if good else 'MISS'} full disk under the log: {said} "
            f"({kept} kept, {keeper.waiting} waiting, none lost)"
        )
        return good
    finally:
        subprocess.run(["umount", str(disk)], check=False)
