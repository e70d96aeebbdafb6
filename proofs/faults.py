"""Faults thrown at random in listeners, jobs, workers, savers and the engine: each told, each logged, nothing lost."""

import logging
import os
import random
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

THROWS, SEED = 600, 8
KINDS = (ZeroDivisionError, KeyError, ValueError, RuntimeError, AttributeError, UnicodeEncodeError)


def prove() -> bool:
    """Counts those that were not told or logged, and what did not work afterwards."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    with tempfile.TemporaryDirectory() as folder:
        thrower = Thrower(Path(folder))
        wrong = thrower.throw(THROWS)
        counts = ", ".join(f"{name} {count}" for name, count in thrower.counts.items())
        print(
            f"faults thrown {THROWS} ({counts}); told {thrower.told}, in the log file {thrower.logged()}, wrong {wrong}"
        )
        thrower.close()
    return not wrong


class Thrower:
    """A window on a session whose receiver costs nothing."""

    def __init__(self, folder: Path, seed: int = SEED) -> None:
        from job_yard import JobYard
        from yarddial.session.station.saving import BackgroundSave
        from yarddial.ui.main_window import MainWindow
        from yarddial.ui.start import dressed_application

        self.app = dressed_application("day", 1.0)
        self._log_file = folder / "faults.log"
        self.yard = JobYard(folder)
        session = self.yard.session
        assert session.faults._handler is not None
        session.faults._handler._open_file = lambda: logging.FileHandler(self._log_file)
        self._save_fails: Exception | None = None
        self.saved = 0
        session.desk._save = BackgroundSave(self._save)
        self.window = MainWindow(session)
        self.window._fault_shown = True
        self.window.show()
        self._chance = random.Random(seed)
        self.counts: dict[str, int] = {}
        self.told = 0
        session.faults.on_fault(self._tell)

    def _tell(self) -> None:
        self.told += 1

    def _save(self, station: object) -> None:
        if self._save_fails is not None:
            raise self._save_fails
        self.saved += 1

    def logged(self) -> int:
        """Faults in the log file, by their tracebacks."""
        return self._log_file.read_text().count("Traceback") if self._log_file.exists() else 0

    def throw(self, times: int) -> int:
        """Throw so many; returns how many were not told, not logged, or kept something from working."""
        places: tuple[tuple[str, Callable[[Exception], None]], ...] = (
            ("listener", self._in_listener),
            ("job", self._in_job),
            ("background", self._in_background),
            ("worker", self._in_worker),
            ("saver", self._in_saver),
            ("engine", self._in_engine),
        )
        wrong = 0
        for _ in range(times):
            name, place = self._chance.choice(places)
            self.counts[name] = self.counts.get(name, 0) + 1
            told, logged = self.told, self.logged()
            place(_fault(self._chance.choice(KINDS)))
            self.settle()
            seen = self.told > told and self.logged() > logged
            works = self._works()
            wrong += not (seen and works)
            if not (seen and works):
                print(f"  {name}: told {self.told > told}, logged {self.logged() > logged}, works {works}")
        return wrong

    def settle(self) -> None:
        """Until what was asked for beside the window has been handed over."""
        from PyQt6.QtTest import QTest

        for _ in range(400):
            self.yard.session.poll()
            QTest.qWait(1)
            if not self.yard.session.background.is_busy and not self.yard.session.faults.is_new:
                break
        self.yard.polls(3)

    def _works(self) -> bool:
        """The window stands, and the next measurement begins and ends; nothing is under way that should not be."""
        yard, session = self.yard, self.yard.session
        yard.let_go()
        if not session.live_receiver.wanted:
            session.toggle_receiver()
        yard.settle()
        session.calibration.measure(4.0)
        began = session.calibration.measuring is not None
        yard.polls(3)
        session.jobs.cancel_all()
        return began and self.window.isVisible() and not yard.faults()

    def _in_listener(self, fault: Exception) -> None:
        desk, receiver = self.yard.session.desk, self.yard.session.live_receiver
        tellers = (desk.on_dial_changed, receiver.on_receiver_changed, self.yard.session.log.on_log_changed)
        leave = self._chance.choice(tellers)(lambda: _raise(fault))
        desk.dial(145.2e6 if desk.station.dial_hz < 50e6 else 10e6)
        receiver._changed.tell()
        self.yard.session.notes.add("a note")
        leave()

    def _in_job(self, fault: Exception) -> None:
        yard = self.yard
        yard.begin(self._chance.choice(("measurement", "gain_sweep", "span_test", "raster")))
        lease = next(iter(yard.session.jobs.leases), None)
        if lease is None:
            _log(fault)
            return
        lease.activity.take = lambda event: _raise(fault)  # type: ignore[method-assign]
        for _ in range(600):
            if not lease.is_alive:
                return
            yard.session.poll()

    def _in_background(self, fault: Exception) -> None:
        failed: list[str] = []
        self.yard.session.background.ask("a proof", lambda: _raise(fault), lambda answer: None, failed.append)
        self.settle()
        assert failed, "who asked is told"

    def _in_worker(self, fault: Exception) -> None:
        from PyQt6.QtTest import QTest

        from yarddial.ui.work import Work

        refused: list[str] = []
        work = Work(self.window, lambda: _raise(fault))
        work.refused.connect(refused.append)
        work.start()
        for _ in range(1_000):
            QTest.qWait(1)
            if refused:
                return
        raise AssertionError("who asked waits for ever")

    def _in_saver(self, fault: Exception) -> None:
        desk, before = self.yard.session.desk, self.saved
        self._save_fails = fault
        self._edit()
        desk.save_dial(wait=True)
        assert desk.save_trouble, "a save that did not happen is said"
        self._save_fails = None
        self._edit()
        desk.finish()
        assert self.saved > before, "the next save works"
        assert not desk.save_trouble, "and the trouble is over"

    def _edit(self) -> None:
        stage = self.yard.session.levels.stages[0]
        others = [step for step in stage.steps_db if step != stage.set_db]
        self.yard.session.levels.set_gain(stage.name, self._chance.choice(others))
        self.yard.session.undo()

    def _in_engine(self, fault: Exception) -> None:
        def fails() -> None:
            raise fault

        self.yard.devices[-1].read = fails  # type: ignore[method-assign,assignment]
        self.yard.polls(3)

    def close(self) -> None:
        """In good order."""
        self.window.close()


def _fault(kind: type[Exception]) -> Exception:
    return kind("utf-8", "x", 0, 1, "made up") if kind is UnicodeEncodeError else kind("made up")


def _raise(fault: Exception) -> None:
    raise fault


def _log(fault: Exception) -> None:
    logging.getLogger("yarddial").error("made up", exc_info=fault)
