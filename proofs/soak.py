"""Eight simulated hours with the window open: random actions, edits, faults, other programs, restarts.

Nothing may be lost, nothing may hang, no fault but those thrown here, and memory may not grow.
"""

import json
import os
import random
import resource
import sqlite3
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

HOURS, SEED = 8, 13
# Between two actions of the person, seconds of simulated time; and how long one step may take of the real.
PAUSE_S, HANGS_S = 6.0, 5.0
PART, OTHER_PART = "Long wire", "Discone"
MOST_GROWTH = 0.05


def prove() -> bool:
    """One seed, the same actions each time."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    with tempfile.TemporaryDirectory() as name:
        os.environ["XDG_DATA_HOME"], os.environ["XDG_STATE_HOME"] = f"{name}/data", f"{name}/state"
        soak = Soak(Path(name))
        return soak.run(float(sys.argv[2]) if len(sys.argv) > 2 else HOURS)


class Thrown(Exception):
    """A fault thrown on purpose."""


class Soak:
    """A person, another program, and bad luck."""

    def __init__(self, folder: Path) -> None:
        from slow_yards import slow_station
        from yarddial import wiring
        from yarddial.engine.link import EngineInline
        from yarddial.records.station_file import StationFile
        from yarddial.ui.start import dressed_application
        from yarddial.yard import clock

        self.app = dressed_application("day", 1.0)
        self._wiring = wiring
        wiring.EngineProcess = lambda opener, **_: EngineInline(self._open_device)  # type: ignore[assignment, misc]
        wiring.begin_check = wiring.begin_check_flat_out
        self._folder = folder / "yard"
        self._folder.mkdir()
        self._path = self._folder / "my.yard.json"
        StationFile(self._path, slow_station()).save(slow_station())
        self._chance = random.Random(SEED)
        self._now = datetime(2026, 11, 27, 6, 0, tzinfo=UTC)
        clock.set_source(lambda: self._now)
        self._dies_after = -1
        self.counts: Counter[str] = Counter()
        self.wrong: list[str] = []
        self._edits = self._others = self._notes = self._thrown = 0
        self._slowest = (0.0, "")
        self._open()

    def _open_device(self, address: str) -> object:
        """The simulated receiver, which is sometimes pulled out."""
        return _Pulled(self._wiring.open_device_flat_out(address), self)

    def _open(self) -> None:
        from yarddial.ui.main_window import MainWindow

        self.session = self._wiring.open_session(self._path)
        self.session.calibration.chosen_s = 1.0
        self.window = MainWindow(self.session)
        self.window.poll_timer.stop()
        self.window._fault_shown = True
        self.window.show()

    def run(self, hours: float) -> bool:
        """All of it; memory is noted each half hour."""
        begun, sizes = time.monotonic(), list[float]()
        held: list[tuple[int, int, int]] = []
        start = self._now
        actions = self._actions()
        while (self._now - start).total_seconds() < 3_600 * hours:
            what = self._chance.choices(list(actions), [weight for weight, _ in actions.values()])[0]
            self.counts[what] += 1
            self._timed(what, actions[what][1])
            self._now += timedelta(seconds=self._chance.expovariate(1 / PAUSE_S))
            for _ in range(self._chance.choice((3, 10, 40))):
                self._timed(f"poll after {what}", self._poll)
            if (self._now - start).total_seconds() >= 1_800 * (len(sizes) + 1):
                self._let_go()
                sizes.append(_megabytes())
                held.append(self._held())
                print(
                    f"     {len(sizes) / 2:.1f} h: {sizes[-1]:.0f} MB, {held[-1][0]} widgets, "
                    f"{held[-1][1]} descriptors, {held[-1][2]} threads, {time.monotonic() - begun:.0f} s",
                    flush=True,
                )
        self._restart()
        self._check_kept()
        self.window.close()
        # What is loaded when it is first used is loaded by then.
        settled = sizes[len(sizes) // 4] if sizes else 1.0
        growth = (sizes[-1] / settled - 1) if sizes else 0.0
        said = ", ".join(f"{what} {count}" for what, count in sorted(self.counts.items()))
        for text in self.wrong[:20]:
            print(f"MISS {text}")
        print(f"     {sum(self.counts.values())} actions ({said})")
        print(f"     {self._edits} edits, {self._others} elsewhere, {self._notes} notes, {self._thrown} faults thrown")
        # A place that is opened for the first time brings its widgets; what is closed takes them along.
        before = held[len(held) // 4] if held else (0, 0, 0)
        flat = not held or all(last <= 1.1 * first + 5 for last, first in zip(held[-1], before, strict=True))
        if not flat:
            print(f"MISS widgets, descriptors, threads grew from {before} to {held[-1]}")
        good = not self.wrong and growth <= MOST_GROWTH and flat
        print(
            f"{'ok  ' if good else 'MISS'} {len(self.wrong)} wrong (lost, hanging, or a fault of the program's own); "
            f"slowest step {self._slowest[0]:.2f} s ({self._slowest[1]}); memory {100 * growth:+.1f} % from a quarter "
            "of the time on"
        )
        return good

    def _held(self) -> tuple[int, int, int]:
        """Widgets, descriptors and threads of this process."""
        return len(self.app.allWidgets()), len(os.listdir("/proc/self/fd")), threading.active_count()

    def _let_go(self) -> None:
        """Memory is looked at when nothing goes on: what a scan or a test holds meanwhile is no growth."""
        self.session.jobs.cancel_all()
        self.session.listening.close()
        if self.session.live_receiver.wanted:
            self.session.toggle_receiver()
        for _ in range(20):
            self._timed("poll after letting go", self._poll)

    def _poll(self) -> None:
        self.session.poll()
        self._deliver()

    def _deliver(self) -> None:
        """What a running event loop delivers: without one, closed sheets would wait for their deletion for ever."""
        from PyQt6.QtCore import QCoreApplication, QEvent

        self.app.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        self.app.processEvents()

    def _timed(self, what: str, act: Callable[[], object]) -> None:
        from yarddial.yard.errors import YardDialError

        begun_s = time.monotonic()
        try:
            act()
        except (YardDialError, Thrown):
            pass
        except Exception as fault:
            self.wrong.append(f"{what}: {type(fault).__name__}: {fault}")
        took_s = time.monotonic() - begun_s
        self._slowest = max(self._slowest, (took_s, what))
        if took_s > HANGS_S:
            self.wrong.append(f"{what} took {took_s:.1f} s")

    # What happens

    def _actions(self) -> dict[str, tuple[float, Callable[[], object]]]:
        chance = self._chance

        def do(act: Callable[[Any], object]) -> Callable[[], object]:
            """With the session of the moment."""
            return lambda: act(self.session)

        places = ("Bench", "First light", "Span", "Levels", "True", "Ghosts", "Bands", "Listen", "Log")
        return {
            "turn the dial": (20, do(lambda s: s.desk.dial(chance.uniform(0.2e6, 400e6)))),
            "next station": (10, do(lambda s: s.desk.step_reference(chance.choice((-1, 1))))),
            "edit": (14, self._edit),
            "undo and redo": (3, do(lambda s: (s.undo(), s.redo()))),
            "note": (10, self._note),
            "start or stop": (5, do(lambda s: s.toggle_receiver())),
            "measure": (10, do(lambda s: s.calibration.measure())),
            "cancel": (3, do(lambda s: s.jobs.cancel_all())),
            "apply": (3, do(lambda s: s.calibration.apply())),
            "listen": (4, do(lambda s: s.listening.open())),
            "leave listen": (3, do(lambda s: s.listening.close())),
            "sweep gains": (1, do(lambda s: s.levels.sweep_all())),
            "test the span": (2, do(lambda s: s.span_test.test())),
            "prove all bands": (0.5, do(lambda s: s.band_run.start())),
            "go somewhere": (12, lambda: self.window.go(chance.choice(places))),
            "search the log": (4, lambda: self.window.log.search.setText(chance.choice(("note", "measured", "x", "")))),
            "hold": (1, do(lambda s: s.desk.hold(chance.random() < 0.3))),
            "route": (2, do(lambda s: s.desk.choose_route(chance.choice(s.desk.station.routes).name))),
            "another program edits": (3, self._edit_elsewhere),
            "look after versions": (4, self._choose_versions),
            "a row of the log is spoilt": (0.3, self._spoil_a_row),
            "the log is deleted": (0.3, self._delete_log),
            "the folder goes and comes back": (1, self._hide_folder),
            "read-only and back": (1, self._read_only),
            "the receiver is pulled out": (1, self._pull_out),
            "a fault": (2, self._throw),
            "restart": (2, self._restart),
        }

    def _edit(self) -> None:
        self._edits += 1
        self.session.building.set_value(PART, "note", f"edit {self._edits}")

    def _note(self) -> None:
        self._notes += 1
        self.session.notes.add(f"note {self._notes} of the soak")

    def _edit_elsewhere(self) -> None:
        """Read and written at once, as by a person who saves in an editor."""
        raw = json.loads(self._path.read_bytes())
        self._others += 1
        next(part for part in raw["parts"] if part["name"] == OTHER_PART)["note"] = f"elsewhere {self._others}"
        self._path.write_text(json.dumps(raw, indent=2))

    def _choose_versions(self) -> None:
        saver = self.session.file.saver
        if saver is not None and saver.conflict is not None:
            found = saver.differences(self.session.desk.station)
            self.session.file.merge_versions({one.key: one.usual for one in found})

    def _spoil_a_row(self) -> None:
        """A note is added for it first: what is spoilt is owed no more."""
        place = self._wiring.log_path()
        with sqlite3.connect(place) as other:
            other.execute(
                "INSERT INTO entries (at_utc, station, kind, text, data) "
                "VALUES ('yesterday', 'Quillet Lane', 'note', 'x', '[')"
            )
        other.close()

    def _delete_log(self) -> None:
        for place in self._wiring.log_path().parent.glob("log.sqlite*"):
            place.unlink()
        # It is noticed with the next entry; a program that is ended before has no say.
        self._note()

    def _hide_folder(self) -> None:
        away = self._folder.with_name("away")
        self._folder.rename(away)
        self._edit()
        for _ in range(3):
            self._look_after_files()
        away.rename(self._folder)
        self._look_after_files()

    def _read_only(self) -> None:
        self._path.chmod(0o444)
        self._edit()
        self._look_after_files()
        self._path.chmod(0o644)
        self._look_after_files()

    def _look_after_files(self) -> None:
        self.session.housekeeping.hurry()
        self._poll()
        time.sleep(0.01)

    def _pull_out(self) -> None:
        self._dies_after = self._chance.choice((0, 3, 20))

    def _throw(self) -> None:
        """Whoever hears of the dial next fails, once."""
        self._thrown += 1
        undo: list[Callable[[], object]] = []

        def fail() -> None:
            undo.pop()()
            raise Thrown("thrown on purpose")

        undo.append(self.session.desk.on_dial_changed(fail))
        self.session.desk.dial(self.session.desk.station.dial_hz + 1_000.0)

    def _restart(self) -> None:
        """Closed in good order; the next start finds all of it."""
        self._count_faults()
        self.session.log.retry()
        self.window.close()
        self._deliver()
        self._open()
        for _ in range(3):
            self._poll()
        if self.session.file.recovered is not None:
            self.session.file.recover()
        self._choose_versions()
        self._check_kept()

    def _count_faults(self) -> None:
        for fault in self.session.faults.kept:
            if "thrown on purpose" not in fault.details:
                last = fault.details.strip().splitlines()
                self.wrong.append(f"a fault of its own: {fault.sentence}: {last[-1] if last else ''}")

    def _check_kept(self) -> None:
        """Edits here and elsewhere, or the versions they were in; and every note."""
        from yarddial.records.station_file import load_station

        self.session.desk.save_dial(wait=True)
        notes: dict[str, set[str]] = {PART: set(), OTHER_PART: set()}
        stations = [self.session.desk.station]
        for place in Path(os.environ["XDG_DATA_HOME"]).rglob("*.yard.json"):
            try:
                stations.append(load_station(place).station)
            except ValueError:
                continue
        for station in stations:
            for name, found in notes.items():
                found.add(station.part(name).note)
        if self._edits and f"edit {self._edits}" not in notes[PART]:
            self.wrong.append(f"edit {self._edits} is lost")
        if self._others and f"elsewhere {self._others}" not in notes[OTHER_PART]:
            self.wrong.append(f"the other program's edit {self._others} is lost")
        there = {entry.text for entry in self.session.log.entries("note", "Quillet Lane", limit=1_000_000)}
        lost = [n for n in range(1, self._notes + 1) if f"note {n} of the soak" not in there]
        if lost:
            self.wrong.append(f"{len(lost)} notes are lost, such as {lost[:3]}")
            self._notes = 0


class _Pulled:
    """A receiver that goes when its time has come."""

    def __init__(self, device: object, soak: Soak) -> None:
        self._device, self._soak = device, soak
        self.capabilities = device.capabilities  # type: ignore[attr-defined]

    def apply(self, ask: object) -> object:
        return self._device.apply(ask)  # type: ignore[attr-defined]

    def read(self) -> object:
        from yarddial.yard.errors import DeviceLost

        if self._soak._dies_after >= 0:
            self._soak._dies_after -= 1
            if self._soak._dies_after < 0:
                raise DeviceLost("the receiver was pulled out: plug it in and press Space")
        return self._device.read()  # type: ignore[attr-defined]

    def close(self) -> None:
        self._device.close()  # type: ignore[attr-defined]


def _empty_plans() -> None:
    """The transforms' library keeps the plans of its last sixteen lengths, megabytes each: short ones take their place.

    In the real program transforms are made in the engine's process; here all runs in one.
    """
    import numpy as np
    import scipy.fft

    for kind in (np.float32, np.float64, np.complex64, np.complex128):
        for size in range(16, 40):
            scipy.fft.fft(np.ones(size, kind))
            np.fft.fft(np.ones(size, kind))


def _megabytes() -> float:
    """What is held, just after the program has given back what it does not need, as it does each minute."""
    import gc

    from yarddial.session.memory import give_back

    gc.collect()
    _empty_plans()
    give_back()
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6
