"""An engine that hangs in each call of the driver, is stopped or is killed, beside a real window: 200 tries.

Counted: seconds until the window says so, the window's worst gap, and whether the next start works.
"""

import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yarddial.session.session import Session

TRIES = 200
WAYS = ("opening", "applying", "reading", "closing", "stopped", "killed")
# More at a time take the processors from each other, and the gaps are not the window's own.
TOGETHER = 1
SAID_S, GAP_S = 6.0, 0.1
TURN_S = 0.016


def prove() -> bool:
    """Windows in processes of their own, each of which tries every way in turn."""
    many = int(sys.argv[2]) if len(sys.argv) > 2 and sys.argv[2].isdigit() else TRIES
    with tempfile.TemporaryDirectory() as folder:
        shares = [many // TOGETHER + (i < many % TOGETHER) for i in range(TOGETHER)]
        outs = [Path(folder) / f"{i}.json" for i in range(TOGETHER)]
        here = [
            sys.executable,
            "-c",
            "import sys, engine_hang; engine_hang.tries(int(sys.argv[1]), sys.argv[2], int(sys.argv[3]))",
        ]
        paths = os.pathsep.join([str(Path(__file__).parent), *filter(None, sys.path)])
        environment = {**os.environ, "PYTHONPATH": paths, "QT_QPA_PLATFORM": "offscreen",
                       "XDG_DATA_HOME": folder, "XDG_STATE_HOME": folder}  # fmt: skip
        running = [
            subprocess.Popen([*here, str(share), str(out), str(i)], env=environment)
            for i, (share, out) in enumerate(zip(shares, outs, strict=True))
        ]
        for one in running:
            one.wait()
        tried = [row for out in outs if out.exists() for row in json.loads(out.read_text())]
    return _report(tried, many)


def _report(tried: list[dict[str, object]], many: int) -> bool:
    by_way = defaultdict(list)
    for row in tried:
        by_way[row["way"]].append(row)
    wrong = len(tried) != many
    for way, rows in by_way.items():
        said = [float(row["said_s"]) for row in rows]  # type: ignore[arg-type]
        gaps = sorted(float(row["gap_s"]) for row in rows)  # type: ignore[arg-type]
        again = sum(bool(row["starts_again"]) for row in rows)
        late, slow = sum(s > SAID_S for s in said), sum(g > GAP_S for g in gaps)
        wrong = wrong or bool(late) or bool(slow) or again < len(rows)
        print(
            f"{'MISS' if late or slow or again < len(rows) else 'ok  '} {way}: {len(rows)} tries, said after "
            f"{min(said):.1f} to {max(said):.1f} s ({late} too late), worst gap of the window {1e3 * gaps[-1]:.0f} ms "
            f"(median {1e3 * gaps[len(gaps) // 2]:.0f}; {slow} over {1e3 * GAP_S:.0f}), next start works {again}: "
            f"{str(rows[0]['sentence'])[:70]}"
        )
    print(f"{len(tried)} of {many} tries")
    return not wrong


class _Hanging:
    """The simulated Finch, which hangs in a call when a file says so."""

    def __init__(self, address: str, flag: Path) -> None:
        from yarddial import wiring

        self._flag = flag
        self._hang("opening")
        self._device = wiring.open_device(address)
        self.capabilities = self._device.capabilities

    def _hang(self, here: str) -> None:
        if self._flag.exists() and self._flag.read_text() == here:
            time.sleep(3_600)

    def apply(self, ask: object) -> object:
        self._hang("applying")
        return self._device.apply(ask)  # type: ignore[arg-type]

    def read(self) -> object:
        self._hang("reading")
        return self._device.read()

    def close(self) -> None:
        self._hang("closing")
        self._device.close()


def open_hanging(address: str) -> _Hanging:
    """Where the flag lies stands in the environment, which the other process has as well."""
    return _Hanging(address, Path(os.environ["HANG_FLAG"]))


def _said(session: "Session", way: str, pid: int, turned_s: list[float]) -> bool:
    """The person goes on turning the dial, as fast as a mouse is heard."""
    if time.monotonic() - turned_s[0] > TURN_S:
        turned_s[0] = time.monotonic()
        session.desk.dial(10e6 + 1_000 * (int(turned_s[0] / TURN_S) % 50))
    ended = way == "closing" and session._engine.pid != pid  # type: ignore[attr-defined]
    return bool(session.live_receiver.trouble) or ended


def tries(count: int, out: str, offset: int) -> None:
    """In one window, one after another."""
    os.environ["HANG_FLAG"] = f"{out}.flag"
    flag = Path(os.environ["HANG_FLAG"])

    from yarddial.engine.process import EngineProcess
    from yarddial.records.logbook import Logbook
    from yarddial.session.session import Session
    from yarddial.ui.main_window import MainWindow
    from yarddial.ui.start import dressed_application
    from yarddial.yard.demo import demo_station

    app = dressed_application("day", 1.0)
    session = Session(demo_station(), EngineProcess(open_hanging), lambda: Logbook(Path(f"{out}.sqlite")))
    window = MainWindow(session)
    window.show()
    receiver = session.live_receiver
    rows, last_s, worst_s = [], time.monotonic(), 0.0

    def spin() -> None:
        nonlocal last_s, worst_s
        app.processEvents()
        now_s = time.monotonic()
        worst_s, last_s = max(worst_s, now_s - last_s), now_s
        time.sleep(0.002)

    def until(true: object, seconds_s: float) -> bool:
        ends_s = time.monotonic() + seconds_s
        while time.monotonic() < ends_s:
            spin()
            if true():  # type: ignore[operator]
                return True
        return False

    def start() -> bool:
        flag.unlink(missing_ok=True)
        session.toggle_receiver()
        return until(lambda: receiver.running and receiver.is_tuned and receiver.picture.span is not None, 30)

    until(start, 1)
    for number in range(count):
        way = WAYS[(number + offset * 3) % len(WAYS)]
        if not receiver.running:
            start()
        worst_s, last_s = 0.0, time.monotonic()
        if way == "opening":
            session.toggle_receiver()
            until(lambda: not receiver.running, 5)
        flag.write_text(way)
        begun_s = time.monotonic()
        pid = session._engine.pid  # type: ignore[attr-defined]
        if way == "stopped":
            os.kill(pid, signal.SIGSTOP)
        elif way == "killed":
            os.kill(pid, signal.SIGKILL)
        elif way in ("opening", "closing"):
            session.toggle_receiver()
        was_said = until(partial(_said, session, way, pid, [0.0]), 15)
        said_s = time.monotonic() - begun_s
        sentence = receiver.trouble
        if receiver.wanted:
            session.toggle_receiver()
        again = start()
        rows.append({"way": way, "said_s": said_s if was_said else 99.0, "gap_s": worst_s, "starts_again": again,
                     "sentence": sentence})  # fmt: skip
    Path(out).write_text(json.dumps(rows))
    window.close()
