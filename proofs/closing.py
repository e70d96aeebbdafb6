"""A disk that is full, read-only or gone at each of ten moments of an evening, then the window is closed or killed.

The whole home lies on that disk: yard, log, recovery copies, state. Closing has to ask while anything is in no lasting
file; after the cure, and after a kill and a restart, every edit and every note is there.
"""

import contextlib
import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

STEPS = 10
KINDS = ("full", "read-only", "vanished")
ENDINGS = ("close", "kill")


def prove() -> bool:
    """60 evenings, each in a process of its own."""
    lost = unasked = tried = 0
    for kind in KINDS:
        for moment in range(STEPS):
            for ending in ENDINGS:
                with tempfile.TemporaryDirectory() as name:
                    outcome = _evening_and_after(kind, moment, ending, Path(name))
                if outcome is None:
                    print(f"     {kind}: not tried, as nothing may be mounted here")
                    break
                tried += 1
                missing, was_asked = outcome
                lost += len(missing)
                unasked += not was_asked
                if missing or not was_asked:
                    print(f"MISS {kind} from step {moment}, {ending}: lost {missing}, asked: {was_asked}")
    good = not lost and not unasked
    mark = "ok  " if good else "MISS"
    print(
        f"{mark} {tried} evenings on a disk that fails at one of {STEPS} moments, closed or killed: {lost} "
        f"edits or notes lost, {unasked} closed without asking"
    )
    return good


def _evening_and_after(kind: str, moment: int, ending: str, folder: Path) -> tuple[list[str], bool] | None:
    """What is missing after cure and restart, and whether closing asked where it had to; None if nothing is mounted."""
    disk, runtime = folder / "disk", folder / "runtime"
    disk.mkdir()
    runtime.mkdir()
    if (
        kind != "vanished"
        and subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", str(disk)], capture_output=True, check=False
        ).returncode
    ):
        return None
    homes = {f"XDG_{name}_HOME": str(disk / name.lower()) for name in ("DATA", "STATE", "CONFIG")}
    env = os.environ | homes | {"XDG_RUNTIME_DIR": str(runtime), "QT_QPA_PLATFORM": "offscreen"}
    try:
        evening = subprocess.run(
            [sys.executable, __file__, "evening", str(disk), kind, str(moment), ending],
            env=env, capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        if ending == "kill":
            _cure(disk, kind)
        if ending == "close" and evening.returncode != 0:
            print(evening.stderr[-800:])
            return ["the evening failed"], False
        after = subprocess.run(
            [sys.executable, __file__, "after", str(disk)], env=env, capture_output=True, text=True, check=False,
            timeout=120,
        )  # fmt: skip
        if after.returncode != 0:
            print(after.stderr[-800:])
            return ["the restart failed"], False
        return [line for line in after.stdout.splitlines() if line], "UNASKED" not in evening.stdout
    finally:
        if kind != "vanished":
            subprocess.run(["umount", "-l", str(disk)], check=False, capture_output=True)


def _fail(disk: Path, kind: str) -> None:
    if kind == "full":
        with contextlib.suppress(OSError), (disk / "rubbish").open("wb", buffering=0) as file:
            while file.write(bytes(4_096)):
                pass
        with contextlib.suppress(OSError), (disk / "rubbish-too").open("wb", buffering=0) as file:
            while file.write(b"x"):
                pass
    elif kind == "read-only":
        for options in (["--bind", str(disk), str(disk)], ["-o", "remount,bind,ro", str(disk)]):
            subprocess.run(["mount", *options], capture_output=True, check=False)
    else:
        disk.rename(disk.with_name("away"))
        disk.write_text("")


def _cure(disk: Path, kind: str) -> None:
    if kind == "full":
        for name in ("rubbish", "rubbish-too"):
            (disk / name).unlink(missing_ok=True)
    elif kind == "read-only":
        subprocess.run(["umount", str(disk)], capture_output=True, check=False)
    elif (disk.with_name("away")).exists():
        disk.unlink(missing_ok=True)
        disk.with_name("away").rename(disk)


def _evening(disk: Path, kind: str, moment: int, ending: str) -> None:
    """Edits and notes in turn; the disk fails before step `moment` and stays so until the end."""
    from yarddial import wiring
    from yarddial.records.station_file import StationFile
    from yarddial.yard.demo import demo_station

    path = disk / "my.yard.json"
    StationFile(path, demo_station()).save(demo_station())
    session = wiring.open_session(path)
    session.poll()
    for step in range(STEPS):
        if step == moment:
            # What goes is a disk at rest, not the folder between two system calls.
            session.desk.finish()
            _fail(disk, kind)
        session.building.set_value("Long wire", "note", f"edit {step}")
        session.notes.add(f"note {step}")
        session.poll()
    session.desk.finish()
    if ending == "kill":
        os.kill(os.getpid(), signal.SIGKILL)
    # No lasting file can have the last step: closing has to ask. A person has the disk mended, and tries again.
    if session.unkept.now() is None:
        print("UNASKED")
    _cure(disk, kind)
    if session.unkept.now() is not None:
        print("UNASKED: still not saved after the cure")
    session.close()


def _after(disk: Path) -> None:
    """Start again, take what is offered, and print what is missing."""
    from yarddial import wiring

    session = wiring.open_session(disk / "my.yard.json")
    session.poll()
    session.file.recover()
    note = getattr(session.desk.station.part("Long wire"), "note", "")
    if note != f"edit {STEPS - 1}":
        print(f"edit {STEPS - 1} (it is '{note}')")
    texts = [entry.text for entry in session.log.entries(kind="note")]
    for step in range(STEPS):
        if texts.count(f"note {step}") != 1:
            print(f"note {step}, there {texts.count(f'note {step}')} times")
    session.close()


if __name__ == "__main__":
    if sys.argv[1:2] == ["evening"]:
        _evening(Path(sys.argv[2]), sys.argv[3], int(sys.argv[4]), sys.argv[5])
    elif sys.argv[1:2] == ["after"]:
        _after(Path(sys.argv[2]))
    else:
        raise SystemExit(not prove())
