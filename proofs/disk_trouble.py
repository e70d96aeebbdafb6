"""What disks do to a person: full, over quota, read-only, vanished, forbidden, the clock set back.

Each is said once, nothing is lost, and saving goes on by itself when it is cured. A small file system in memory is
mounted for the first three where the system lets it be; a limit on a file's size stands in for a quota.
"""

import contextlib
import os
import resource
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path

from yarddial import wiring
from yarddial.records.logbook import Logbook
from yarddial.records.station_file import StationFile, load_station
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard import clock
from yarddial.yard.demo import demo_station

EDITS = 5


def prove() -> bool:
    """Trouble, edits and notes while it lasts, the cure, and what is on the disk then."""
    good = True
    for what, trouble in TROUBLES.items():
        with tempfile.TemporaryDirectory() as name:
            good = _case(what, trouble, Path(name)) and good
    return good


def _case(what: str, trouble: "Callable[[Path], contextlib.AbstractContextManager[bool]]", folder: Path) -> bool:
    os.environ["XDG_DATA_HOME"], os.environ["XDG_STATE_HOME"] = str(folder / "home"), str(folder / "state")
    disk = folder / "disk"
    disk.mkdir()
    with _mounted(disk) if "folder" not in what else contextlib.nullcontext(True) as is_mounted:
        if not is_mounted and "read-only" in what:
            print(f"     {what}: not tried, as nothing may be mounted here")
            return True
        # The log lies on the same disk.
        wiring.log_path = lambda: disk / "log.sqlite"  # type: ignore[assignment]
        path = disk / "my.yard.json"
        StationFile(path, demo_station()).save(demo_station())
        session = wiring.open_session(path)
        _poll(session)
        session.notes.add("before")
        told: list[str] = []
        with trouble(disk) as is_there:
            for number in range(EDITS):
                session.building.set_value("Long wire", "note", f"edit {number}")
                session.notes.add(f"note {number}")
                told += _poll(session)
        if not is_there:
            print(f"     {what}: not tried, as the system does not let it be made")
            session.close()
            return True
        told += _poll(session, 3)
        left = [finding.what for finding in findings(session) if finding.what.startswith(("Station file", "Log:"))]
        waits = session.log.waiting
        session.close()
        note = load_station(path).station.part("Long wire").note
        texts = [entry.text for entry in Logbook(disk / "log.sqlite").entries()]
    said = list(dict.fromkeys(told))
    lost = [f"edit {EDITS - 1}"] * (note != f"edit {EDITS - 1}")
    lost += [f"note {n}" for n in range(EDITS) if f"note {n}" not in texts]
    # A station file and a log: one sentence each, and never the same twice.
    is_once = len(said) <= 2 and (bool(said) or "clock" in what)
    fine = is_once and not lost and not waits and not left
    print(f"{'ok  ' if fine else 'MISS'} {what}: {len(said)} told, {len(lost)} lost, {waits} waiting after the cure")
    for sentence in (*said, *lost, *left):
        print(f"       {sentence[:170]}")
    return fine


def _poll(session: Session, seconds: int = 1) -> list[str]:
    """Let the session look after its files, as in two seconds of a window; what is said of them, each change once."""
    told: list[str] = []
    before: list[str] = []
    for _ in range(seconds * 3):
        session.housekeeping.hurry()
        session.poll()
        time.sleep(0.05)
        now = [f.what for f in findings(session) if f.what.startswith(("Station file", "Log:"))]
        # What waits in memory is counted in the sentence beside it, not in this one.
        told += [what for what in now if what not in before]
        before = now
    return told


@contextlib.contextmanager
def _mounted(disk: Path) -> Iterator[bool]:
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=1m", "tmpfs", str(disk)], capture_output=True, check=False
    )
    try:
        yield made.returncode == 0
    finally:
        if made.returncode == 0:
            subprocess.run(["umount", "-l", str(disk)], check=False)


@contextlib.contextmanager
def _full(disk: Path) -> Iterator[bool]:
    """Filled to the last byte, where the disk is a small one of its own."""
    if not os.path.ismount(disk):
        yield False
        return
    rubbish = disk / "rubbish"
    with contextlib.suppress(OSError), rubbish.open("wb", buffering=0) as file:
        while file.write(bytes(512)):
            pass
    yield True
    rubbish.unlink()


@contextlib.contextmanager
def _quota(disk: Path) -> Iterator[bool]:
    """No file may grow beyond a few kilobytes: what is larger is refused as over quota is."""
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (3_000, hard))
    yield True
    resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@contextlib.contextmanager
def _read_only(disk: Path) -> Iterator[bool]:
    if not os.path.ismount(disk):
        yield False
        return
    # Laid over itself, as what is open for writing keeps a disk from being made read-only in place.
    for options in (["--bind", str(disk), str(disk)], ["-o", "remount,bind,ro", str(disk)]):
        subprocess.run(["mount", *options], capture_output=True, check=False)
    yield not os.access(disk, os.W_OK)
    subprocess.run(["umount", str(disk)], capture_output=True, check=False)


@contextlib.contextmanager
def _vanished(disk: Path) -> Iterator[bool]:
    """The folder is moved away, as when a stick is pulled or a share goes, and comes back."""
    disk.rename(disk.parent / "elsewhere")
    yield True
    (disk.parent / "elsewhere").rename(disk)


@contextlib.contextmanager
def _forbidden(disk: Path) -> Iterator[bool]:
    """Folder and files may not be written: as somebody who is not the master of the machine."""
    if os.geteuid() == 0:
        os.chmod(disk, 0o755)
        for place in disk.iterdir():
            os.chmod(place, 0o644)
        os.chmod(disk.parent, 0o777)
        for above in disk.parent.iterdir():
            if above != disk:
                subprocess.run(["chmod", "-R", "a+rwX", str(above)], check=False)
        os.seteuid(65534)
    else:
        os.chmod(disk, 0o555)
    yield True
    if os.getuid() == 0:
        os.seteuid(0)
    else:
        os.chmod(disk, 0o755)


@contextlib.contextmanager
def _set_back(disk: Path) -> Iterator[bool]:
    """The computer's clock a year back; files keep their times, which are then in the future."""
    real = clock._source
    clock._source = lambda: real() - timedelta(days=365)
    yield True
    clock._source = real


TROUBLES: "dict[str, Callable[[Path], contextlib.AbstractContextManager[bool]]]" = {
    "full disk": _full,
    "quota": _quota,
    "read-only mount": _read_only,
    "vanished folder": _vanished,
    "permission taken away": _forbidden,
    "clock set back by a year": _set_back,
}
