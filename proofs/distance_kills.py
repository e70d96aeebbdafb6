"""Either side killed at random moments of every kind of work: each job ended once, nothing left over there, log whole.

First the far computer's program is killed and begun anew, then the near one's. The two are processes of their own, with
a simulated receiver in real time; the log is a file.
"""

import asyncio
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

import msgspec

from job_yard import BEGIN, JobYard
from yarddial import wiring
from yarddial.distance.engine_switch import EngineSwitch
from yarddial.distance.far_engine import FarEngine
from yarddial.distance.identity import Identity, KnownComputer
from yarddial.distance.pairing_code import fingerprint_of
from yarddial.distance.server import Server
from yarddial.drivers.protocol import FoundReceiver
from yarddial.engine.commands import Command
from yarddial.engine.jobs.lease import Lease
from yarddial.engine.link import EngineInline
from yarddial.engine.process import EngineProcess
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.parts import Receiver

FINCH = "simulated:finch"
ME = Path(__file__)


class SeenSwitch(EngineSwitch):
    """Tells what is asked, as the yard of jobs wants to see it."""

    def __init__(self, far: FarEngine, see: "object") -> None:
        super().__init__(EngineInline(wiring.open_device_flat_out), lambda _: far)
        self._see = see

    def send(self, command: Command) -> None:
        """On its way."""
        self._see(command)  # type: ignore[operator]
        super().send(command)


class FarYard(JobYard):
    """The yard of jobs with a receiver at a distance and a log on the disk."""

    def __init__(self, folder: Path, known: KnownComputer) -> None:
        self.far = FarEngine(known, "desk")
        self.log_path = folder / "log.sqlite"
        super().__init__(folder)

    def _make_engine(self):  # type: ignore[no-untyped-def]
        return SeenSwitch(self.far, self._see)

    def _plain_session(self) -> Session:
        from slow_yards import slow_station

        station = slow_station()
        for part in station.parts:
            if isinstance(part, Receiver) and part.name == "Finch":
                station = station.with_part(msgspec.structs.replace(part, device=f"far:shed/{FINCH}"))
        begin = wiring.begin_check_anywhere(self.engine)  # type: ignore[arg-type]
        return Session(station, self.engine, lambda: Logbook(self.log_path), begin_check=begin)

    def state(self) -> tuple[object, ...]:
        """Not to be seen from here."""
        return ()

    def settle(self) -> None:
        """Until the receiver looks where it is to look."""
        self.until(lambda: self.session.live_receiver.is_tuned, 20.0)

    def until(self, so, for_s: float) -> bool:  # type: ignore[no-untyped-def]
        """Poll until something is so."""
        until_s = time.monotonic() + for_s
        while time.monotonic() < until_s:
            self.session.poll()
            if so():
                return True
            time.sleep(0.01)
        return False

    def goes_on(self) -> bool:
        """Whether something of the receiver comes: what was begun between two starts of it has lost nothing."""
        self.far.send = partial(self._noted, self.far.send)  # type: ignore[method-assign]
        self.asked_since = 0
        return self.until(lambda: self.asked_since > 2 and self.far.is_linked, 10.0)

    def _noted(self, send, command) -> None:  # type: ignore[no-untyped-def]
        self.asked_since += 1
        send(command)

    def polls(self, count: int) -> None:
        """Go on a little."""
        self.until(lambda: False, 0.05 * count)


def server_in(folder: Path) -> tuple[Server, Identity]:
    """What serves, with its receiver in a process of its own."""
    identity = Identity(folder / "id")
    offered = ((FINCH, FoundReceiver("finch", "Finch")),)
    engine = EngineProcess(wiring.open_device)
    return Server(
        identity, engine, lambda: offered, lambda _: (None, ""), folder / "rec", "shed", wiring.served_check
    ), identity


async def listen(server: Server, port: int, told: "object" = None) -> None:
    """Open the door at a port and serve."""
    door = await server.door.listen("127.0.0.1", port)
    if callable(told):
        told(door.sockets[0].getsockname()[1])
    async with door:
        await server.serve()


class FarProcess:
    """The far side as a process that can be killed and begun anew at the same place."""

    def __init__(self, folder: Path) -> None:
        self._folder, self.port = folder, 0
        self._process: subprocess.Popen[str] | None = None
        self.begin()

    def begin(self) -> None:
        """Begun; its port stays."""
        words = [sys.executable, str(ME), "far", str(self._folder), str(self.port)]
        self._process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        self.port = int(self._process.stdout.readline())

    def children(self) -> list[int]:
        """Processes of its own."""
        assert self._process is not None
        found = subprocess.run(["pgrep", "-P", str(self._process.pid)], capture_output=True, text=True, check=False)
        return [int(word) for word in found.stdout.split()]

    def kill(self) -> list[int]:
        """From one moment to the next; which processes were its own."""
        assert self._process is not None
        children = self.children()
        os.kill(self._process.pid, signal.SIGKILL)
        self._process.wait()
        return children


def is_alive(pid: int) -> bool:
    """A process that is there and no zombie."""
    try:
        return "Z" not in Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return False


def log_faults(path: Path) -> list[str]:
    """Of a log: whether it is whole, and what stands in it twice."""
    with sqlite3.connect(path) as book:
        (whole,) = book.execute("pragma integrity_check").fetchone()
        found = [] if whole == "ok" else [f"the log is {whole}"]
        twice = book.execute(
            "select at_utc, kind, text, count(*) from entries group by at_utc, kind, text, data having count(*) > 1"
        ).fetchall()
    return found + [f"{kind} stands {count} times in the log: {text[:60]}" for _, kind, text, count in twice]


def is_over(yard: FarYard, begun: list[Lease]) -> bool:
    """The receiver has stopped, or what was begun has ended; it may then be started again at once."""
    if any(one.kind.name == "device_check" for one in begun):
        # The receiver is begun again after it.
        return not yard.session.device_check.running
    bound = [one for one in begun if not one.kind.outlives]
    if any(one.ending is None for one in bound):
        return False
    if any(one.ending is not None and one.ending.how in ("lost", "failed") for one in bound):
        return True
    return not yard.session.live_receiver.wanted and not yard.session.device_check.running


def recordings_in(folder: Path) -> tuple[int, list[str]]:
    """How many are whole, and what is not."""
    files = [path for path in folder.rglob("*") if path.is_file()] if folder.is_dir() else []
    halves = [path.name for path in files if path.suffix not in (".sigmf-meta", ".sigmf-data")]
    metas = {path.with_suffix("") for path in files if path.suffix == ".sigmf-meta"}
    datas = {path.with_suffix("") for path in files if path.suffix == ".sigmf-data"}
    halves += [path.name for path in metas ^ datas]
    return len(metas), [f"half a recording is left there: {name}" for name in halves]


def far_killed(count: int) -> bool:
    """The far program is killed during each kind of work in turn."""
    chance = random.Random(7)
    folder = Path(tempfile.mkdtemp())
    far = FarProcess(folder / "far")
    identity = Identity(folder / "far" / "id")
    word = identity.pair("desk", "control")
    known = KnownComputer("shed", "127.0.0.1", far.port, fingerprint_of(identity.certificate), word)
    kinds = sorted(BEGIN)
    (folder / "near").mkdir()
    yard = FarYard(folder / "near", known)
    wrong: list[str] = []
    told_s: list[float] = []
    granted: set[str] = set()
    for number in range(count):
        kind = kinds[number % len(kinds)]
        first = len(yard.granted)
        yard.begin(kind)
        granted |= {lease.kind.name for lease in yard.granted[first:]}
        yard.until(lambda: False, chance.uniform(0.0, 1.5))
        wanted = yard.session.live_receiver.wanted or yard.session.device_check.running
        children = far.kill()
        killed_s = time.monotonic()
        far.begin()
        begun = yard.granted[first:]
        wanted = wanted or any(one.ending is None for one in begun)
        if wanted and not yard.until(partial(is_over, yard, begun), 12.0) and not yard.goes_on():
            wrong.append(f"{kind}: the end of the far program was not told")
        told_s.append(time.monotonic() - killed_s)
        wrong += [f"{kind}: {one}" for one in yard.still_under_way_without_receiver()]
        yard.let_go()
        wrong += [f"{kind}: {one}" for one in yard.faults()]
        yard.wrong.clear()
        left = [pid for pid in children if is_alive(pid)]
        for _ in range(60):
            left = [pid for pid in left if is_alive(pid)]
            time.sleep(0.05) if left else None
        wrong += [f"{kind}: a process was left over there"] if left else []
        if not yard.session.live_receiver.wanted:
            yard.session.toggle_receiver()
        yard.settle()
        if not yard.session.live_receiver.is_tuned:
            wrong.append(f"{kind}: the receiver did not come back: {yard.session.live_receiver.trouble}")
        yard.granted.clear()
    yard.session.close()
    far.kill()
    time.sleep(1.0)
    kept, faults = recordings_in(folder / "far" / "rec")
    wrong += faults
    wrong += log_faults(yard.log_path)
    told_s.sort()
    good = not wrong
    print(f"{'ok  ' if good else 'MISS'} far program killed {count} times in {len(granted)} kinds of work:", end=" ")
    print(f"{len(wrong)} wrong; told and begun anew within {told_s[-1]:.1f} s (half within", end=" ")
    print(f"{told_s[len(told_s) // 2]:.1f}); {kept} recordings whole there,", end=" ")
    print(f"{Logbook(yard.log_path).count()} entries in the log, each once", flush=True)
    for one in wrong[:20]:
        print("    ", one)
    return good


def near_killed(count: int) -> bool:
    """The near program is killed during each kind of work in turn; the same computer comes anew each time."""
    chance = random.Random(8)
    folder = Path(tempfile.mkdtemp())
    server, identity = server_in(folder / "far")
    port: list[int] = []
    threading.Thread(target=lambda: asyncio.run(listen(server, 0, port.append)), daemon=True).start()
    while not port:
        time.sleep(0.01)
    word = identity.pair("desk", "control")
    known = KnownComputer("shed", "127.0.0.1", port[0], fingerprint_of(identity.certificate), word)
    (folder / "near").mkdir()
    (folder / "known.json").write_bytes(msgspec.json.encode(known))
    kinds = sorted(BEGIN)
    wrong: list[str] = []
    entries = 0
    for number in range(count):
        kind = kinds[number % len(kinds)]
        words = [sys.executable, str(ME), "near", str(folder), kind]
        near = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        assert near.stdout is not None
        said = near.stdout.readline().strip()
        if said != "begun":
            wrong.append(f"{kind}: it was not begun: {said}")
        time.sleep(chance.uniform(0.0, 2.5))
        near.kill()
        near.wait()
        if len(server.guests) > 1:
            wrong.append(f"{kind}: {len(server.guests)} guests")
        owners = {guest.session for guest, _ in server.work.jobs.values()}
        if owners - set(server.guests):
            wrong.append(f"{kind}: jobs of a guest that is gone")
        wrong += [f"{kind}: {one}" for one in log_faults(folder / "near" / "log.sqlite")]
        now = Logbook(folder / "near" / "log.sqlite").count()
        if now < entries:
            wrong.append(f"{kind}: entries of the log were lost")
        entries = now
    # The last one vanished as well: nobody comes for what it left, and after a while nothing is left of it.
    for guest in server.guests.values():
        guest.away_since_s = float("-inf")
    time.sleep(2.0)
    kept, faults = recordings_in(folder / "far" / "rec")
    wrong += faults
    wrong += ["jobs are left there"] if server.work.jobs or server.guests or server.work.is_checking else []
    good = not wrong
    print(f"{'ok  ' if good else 'MISS'} near program killed {count} times: {len(wrong)} wrong;", end=" ")
    print(f"{kept} recordings whole there, {entries} entries in the log, each once", flush=True)
    for one in wrong[:20]:
        print("    ", one)
    return good


def near_side(folder: Path, kind: str) -> None:
    """The near program: begins one kind of work and goes on until it is killed."""
    known = msgspec.json.decode((folder / "known.json").read_bytes(), type=KnownComputer)
    yard = FarYard(folder / "near", known)
    if not yard.session.live_receiver.is_tuned:
        print(f"the receiver does not run: {yard.session.live_receiver.trouble}", flush=True)
    yard.session.calibration.measure(0.5)
    yard.until(lambda: yard.session.calibration.measuring is None, 10.0)
    yard.begin(kind)
    print("begun", flush=True)
    while True:
        # And measures again and again beside it, so that the log is written to.
        yard.until(lambda: not yard.session.calibration.why_not_measure("measurement"), 3_600.0)
        yard.session.calibration.measure(0.5)


def prove() -> bool:
    """Print the figures; True where all is well."""
    count = int(next((word for word in sys.argv[2:] if word.isdigit()), 100))
    good = far_killed(count)
    return near_killed(count) and good


if __name__ == "__main__":
    if sys.argv[1:2] == ["far"]:
        made, _ = server_in(Path(sys.argv[2]))
        asyncio.run(listen(made, int(sys.argv[3]), lambda port: print(port, flush=True)))
    elif sys.argv[1:2] == ["near"]:
        near_side(Path(sys.argv[2]), sys.argv[3])
    else:
        raise SystemExit(not prove())
