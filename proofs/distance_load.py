"""What serving costs the far computer: shares of a core and memory at 2.4 MS/s, with a core to itself and with less.

`yard-dial serve` runs as a process of its own with a simulated receiver in real time, held to one core, and to a share
of it where the system lets a group of processes be held to one. The simulation itself costs more than a driver would.
"""

import asyncio
import os
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from far_computer_here import FarComputerHere
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.knocking import pair_with
from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.commands import Hear, Measure, Show, Start, Tune
from yarddial.engine.events import Measured, NotMeasured, Sound, SpectrogramColumns
from yarddial.yard.demodulation import DEMODULATIONS

GROUP = Path("/sys/fs/cgroup/cpu/yard-dial-proof")
TICKS_S = os.sysconf("SC_CLK_TCK")


def family(pid: int) -> list[int]:
    """A process and all that it began."""
    found = [pid]
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            words = path.read_text().rpartition(")")[2].split()
        except OSError:
            continue
        if int(words[1]) == pid:
            found += family(int(path.parent.name))
    return found


def used(pid: int) -> tuple[float, float, str]:
    """Seconds of a core so far, megabytes, and what it is."""
    words = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    pages = int(Path(f"/proc/{pid}/statm").read_text().split()[1])
    line = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
    return (int(words[11]) + int(words[12])) / TICKS_S, pages * 4_096 / 1e6, line


def hold(pids: list[int], share: float) -> bool:
    """To a share of one core; False where the system does not let that be."""
    try:
        GROUP.mkdir(exist_ok=True)
        (GROUP / "cpu.cfs_quota_us").write_text(str(int(100_000 * share)) if share else "-1")
        for pid in pids:
            (GROUP / "cgroup.procs").write_text(str(pid))
            os.sched_setaffinity(pid, {0})
    except OSError:
        return False
    return True


def at(share: float, rate_hz: float, seconds_s: float, most_lost: float | None) -> bool:
    """Serve at a rate with so much of a core."""
    folder = Path(tempfile.mkdtemp())
    shed = FarComputerHere(folder, flat_out=False, port=47_210)
    shed.serve("--pair", "control")
    code = shed.pairing_code()
    known = asyncio.run(pair_with(shed.host, shed.port, code, "desk", "shed"))
    far = FarEngine(known, "desk")
    try:
        far.send(Start("simulated:finch"))
        ask = RequestedSettings(129.85e6, rate_hz, "ladder", gains_db=(("gain", 25.5),))
        far.send(Show(7, 5_000.0, 300, 0.1))
        far.send(Tune(ask, 130e6, 5_000.0, job=1, id=1))
        far.send(Hear(130e6, DEMODULATIONS["am"].settings(), job=1, id=2))
        until_s = time.monotonic() + 30
        while time.monotonic() < until_s and not any(isinstance(event, Sound) for event in far.poll()):
            time.sleep(0.02)
        held = hold(family(shed.pid), share)
        time.sleep(3.0)
        far.poll()
        lost_before = far.lost_sound
        far.send(Measure(5.0, 1_500.0, tuning=1, job=3, id=3))
        began_s, before = time.monotonic(), {pid: used(pid) for pid in family(shed.pid)}
        heard_s, columns, measured = 0.0, 0, ""
        lost_here = far.far.lost if far.far is not None else 0
        while time.monotonic() < began_s + seconds_s:
            for event in far.poll():
                match event:
                    case Sound():
                        heard_s += event.samples.size / event.rate_hz
                    case SpectrogramColumns():
                        columns += event.level_db.shape[0]
                    case Measured():
                        measured = "measured"
                    case NotMeasured():
                        measured = f"not measured: {event.sentence}"
            time.sleep(0.02)
        lasted_s = time.monotonic() - began_s
        after = {pid: used(pid) for pid in before}
        lost = (far.far.lost if far.far is not None else 0) - lost_here
    finally:
        far.close()
        shed.close()
    names = {
        pid: "serve" if pid == min(after) else "engine" for pid in after if "resource_tracker" not in after[pid][2]
    }
    told = ", ".join(
        f"{name} {100 * (after[pid][0] - before[pid][0]) / lasted_s:.0f} % of a core and {after[pid][1]:.0f} MB"
        for pid, name in names.items()
    )
    share_lost = lost / (rate_hz * lasted_s)
    good = most_lost is None or (share_lost <= most_lost and heard_s > 0.95 * lasted_s)
    held_to = f"held to {share:.0%} of one core" if held else "NOT held (the system does not let it)"
    print(f"{'ok  ' if good else 'MISS'} {rate_hz / 1e6:g} MS/s, {held_to}: {told};", end=" ")
    print(f"{100 * share_lost:.2f} % of samples lost, {100 * heard_s / lasted_s:.0f} % of the sound heard,", end=" ")
    print(f"{far.lost_sound - lost_before} of the channel's samples left out,", end=" ")
    print(f"{columns / lasted_s:.1f} columns a second;", measured or "the measurement has not ended", flush=True)
    return good


def prove() -> bool:
    """Print the figures; True where all is well."""
    seconds_s = float(next((word for word in sys.argv[2:] if word.isdigit()), 30))
    good = at(1.0, 2.4e6, seconds_s, 0.0)
    good &= at(0.5, 2.4e6, seconds_s, 0.001)
    good &= at(0.5, 1.024e6, seconds_s, 0.001)
    # Too little for it: what is lost is counted and said, and nothing hangs.
    return at(0.2, 2.4e6, seconds_s, None) and good


if __name__ == "__main__":
    raise SystemExit(not prove())
