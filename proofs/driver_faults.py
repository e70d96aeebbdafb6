"""Unplug, hang and kill of the driver while it streams, in the window, each many times: alive, said, log intact."""

import os
import signal
import sqlite3
import tempfile
import time
from pathlib import Path

from yarddial.drivers.protocol import Block, Device
from yarddial.drivers.simulated.receiver import SimulatedReceiver
from yarddial.wiring import open_device

TIMES = 50
WORDS = {
    "unplug": "was unplugged",
    "hang": "does not answer any more",
    "kill": "ended unexpectedly",
}


class Hanging(SimulatedReceiver):
    """Finch, whose driver never comes back from a read after so many blocks."""

    def read(self) -> Block:
        """Hang from the ninth block on."""
        self.blocks = getattr(self, "blocks", 0) + 1
        if self.blocks > 8:
            time.sleep(3600)
        return super().read()


def open_hanging(address: str) -> Device:
    """A plain function, so that the engine's process finds it."""
    from yarddial.drivers.time_source import RealTime

    made = open_device(address)
    assert isinstance(made, SimulatedReceiver)
    return Hanging(made.world, RealTime(), made.capabilities)


def prove() -> bool:
    """Runs all three in one window each."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from yarddial.ui.start import dressed_application

    app = dressed_application("day", 1.0)
    results = [_many(app, fault) for fault in WORDS]
    return all(results)


def _many(app: object, fault: str) -> bool:
    import msgspec
    from PyQt6.QtWidgets import QApplication

    from yarddial.engine.process import EngineProcess
    from yarddial.records.logbook import Logbook
    from yarddial.session.session import Session
    from yarddial.ui.main_window import MainWindow
    from yarddial.yard.demo import demo_station

    station = demo_station()
    if fault == "unplug":
        finch = station.part("Finch")
        station = station.with_part(msgspec.structs.replace(finch, device="simulated:finch?fault=unplug:0.3"))
    path = Path(tempfile.mkdtemp()) / "log.sqlite"
    engine = EngineProcess(open_hanging if fault == "hang" else open_device)
    session = Session(station, engine, lambda: Logbook(path))
    window = MainWindow(session)
    window.show()
    said, worst_s = 0, 0.0
    for number in range(TIMES):
        session.notes.add(f"before {number}")
        session.toggle_receiver()
        killed, begun_s, last_s = False, time.monotonic(), time.monotonic()
        while time.monotonic() - begun_s < 30 and session.live_receiver.wanted:
            QApplication.processEvents()
            worst_s, last_s = max(worst_s, time.monotonic() - last_s), time.monotonic()
            if fault == "kill" and session.live_receiver.picture.span is not None and not killed and engine.pid:
                os.kill(engine.pid, signal.SIGKILL)
                killed = True
            time.sleep(0.002)
        said += WORDS[fault] in session.live_receiver.trouble and window.isVisible()
    entries = sqlite3.connect(path).execute("select count(*) from entries").fetchone()[0]
    whole = sqlite3.connect(path).execute("pragma integrity_check").fetchone()[0]
    window.close()
    session.close()
    good = said == TIMES and entries >= TIMES and whole == "ok"
    mark = "ok  " if good else "MISS"
    print(f"{mark} {fault}: {said} of {TIMES} said in the window, {entries} entries, log {whole}; "
          f"worst gap of the window {1000 * worst_s:.0f} ms", flush=True)  # fmt: skip
    return good
