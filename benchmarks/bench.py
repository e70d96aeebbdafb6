"""Speed as ratios, all measured in this one run on one core. `./yard bench [NAME]` runs them.

Work is timed as the best of several runs, since others share the machine; start-up as medians taken in turn.
"""

import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    # Loaded where it is used.
    from PyQt6.QtWidgets import QApplication

# Bytes of a block.
BLOCK = 1 << 18
RATE_HZ = 2.4e6


def timed(act: Callable[[], object], repeats: int) -> float:
    """Seconds of an act: the best of several, since other work on this machine can only add to it."""
    act()
    seconds = []
    for _ in range(repeats):
        start = time.perf_counter()
        act()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


def report(what: str, ratio: float, limit: float, *, at_least: bool = False) -> bool:
    """Print a ratio beside what is wanted."""
    good = ratio >= limit if at_least else ratio <= limit
    sign = ">=" if at_least else "<="
    print(f"{'ok  ' if good else 'MISS'} {what:<76} {ratio:8.4f}  (wanted {sign} {limit:g})", flush=True)
    return good


def carrier() -> bool:
    """The estimator's cost as a fraction of the recording's length."""
    from yarddial.dsp.carrier import estimate_carrier

    chance = np.random.default_rng(0)
    samples = (chance.standard_normal(2 * int(RATE_HZ), dtype=np.float32) * np.float32(0.05)).view(np.complex64)
    samples += (0.01 * np.exp(2j * np.pi * ((0.2500001 * np.arange(samples.size)) % 1.0))).astype(np.complex64)
    near = timed(lambda: estimate_carrier(samples, RATE_HZ, 600_000.0, 2_000.0), 25)
    whole = timed(lambda: estimate_carrier(samples, RATE_HZ), 9)
    good = report("carrier estimate, 2.4 MS/s, search +-2 kHz, cost / length of recording", near, 0.015)
    return report("carrier estimate, 2.4 MS/s, whole span, cost / length of recording", whole, 0.15) and good


def simulated() -> bool:
    """Finch in its own world, and in a crowd of forty stations of which six wide FM, times real time."""
    import msgspec

    from yarddial.drivers.protocol import RequestedSettings
    from yarddial.drivers.simulated.receiver import FINCH, SimulatedReceiver
    from yarddial.drivers.simulated.world import Link, World, crowded_world, quillet_world
    from yarddial.drivers.time_source import VirtualTime

    def speed(world: World, centre_hz: float, rate_hz: float, port: str) -> float:
        able = msgspec.structs.replace(FINCH, rates_hz=(rate_hz,), ports=(port,))
        receiver = SimulatedReceiver(msgspec.structs.replace(world, link=Link()), VirtualTime(), able)
        receiver.apply(RequestedSettings(centre_hz, rate_hz, port))

        def run() -> None:
            for _ in range(receiver.segments_a_run):
                receiver.read()

        return receiver.segments_a_run * receiver.read().samples.size / rate_hz / timed(run, 16)

    good = True
    for centre_hz, port, what in (
        (129.7e6, "ladder", "10 MHz"),
        (121.0e6, "ladder", "medium wave"),
        (145e6, "discone", "2 m"),
    ):
        fast = speed(quillet_world(), centre_hz, 2.048e6, port)
        good = report(f"simulated Finch at 2.048 MS/s, {what}, times real time", fast, 5.0, at_least=True) and good
    for rate_hz, wanted in ((2.4e6, 5.0), (10e6, 2.0)):
        fast = speed(crowded_world(rate_hz), 98e6, rate_hz, "x")
        what = f"simulated crowd of 40 stations, 6 wide FM, at {rate_hz / 1e6:g} MS/s, times real time"
        good = report(what, fast, wanted, at_least=True) and good
    few, many = (1 / speed(crowded_world(2.4e6, narrow=n), 98e6, 2.4e6, "x") for n in (34, 74))
    each = 1000 * (many - few) / 40
    return report("each further narrow station, ms for a second of samples", each, 1.5) and good


BARE = """
import time, sys
start = float(sys.argv[1])
import numpy
from PyQt6.QtWidgets import QApplication, QWidget
from PyQt6.QtCore import QTimer
app = QApplication([])
class W(QWidget):
    def paintEvent(self, event):
        QTimer.singleShot(0, lambda: (print(time.time() - start), app.quit()))
w = W(); w.resize(1280, 800); w.show(); app.exec()
"""
OURS = """
import sys, time
start = float(sys.argv[1])
from PyQt6.QtCore import QTimer
from yarddial import wiring
from yarddial.ui.start import dressed_application
session = wiring.demo_session()
app = dressed_application("day", 1.0)
from yarddial.ui.main_window import MainWindow
class W(MainWindow):
    def paintEvent(self, event):
        super().paintEvent(event)
        QTimer.singleShot(0, lambda: (print(time.time() - start), self.close(), app.quit()))
w = W(session); w.show(); app.exec()
"""


def start_up() -> bool:
    """Time to the first painted window over that of a bare PyQt6 + numpy window, both from the process's start."""

    import compileall

    # As after any first start; a shell may forbid byte code to be written.
    compileall.compile_dir(str(Path(__file__).parents[1] / "src"), quiet=1)

    def once(program: str) -> float:
        done = subprocess.run(
            [sys.executable, "-c", program, repr(time.time())], capture_output=True, text=True, check=True, timeout=60
        )
        return float(done.stdout.split()[0])

    pairs = [(once(BARE), once(OURS)) for _ in range(8)][1:]
    ratio = statistics.median(ours for _, ours in pairs) / statistics.median(bare for bare, _ in pairs)
    return report("first painted window / bare PyQt6 + numpy window", ratio, 2.0)


def bench_place() -> bool:
    """A yard of 60 parts: from an edit to its painting over painting the window unchanged; check and coverage alone."""
    from PyQt6.QtWidgets import QWidget

    sys.path.insert(0, str(Path(__file__).parents[1] / "proofs"))
    from random_yard import sixty_parts
    from yarddial.analysis.audit.check import check_yard
    from yarddial.engine.link import EngineInline
    from yarddial.session.session import Session
    from yarddial.ui.main_window import MainWindow
    from yarddial.ui.start import dressed_application
    from yarddial.wiring import open_device_flat_out
    from yarddial.yard.reach import coverage

    station = sixty_parts()
    app = dressed_application("day", 1.0)
    session = Session(station, EngineInline(open_device_flat_out), _no_book)
    window = MainWindow(session)
    window.poll_timer.stop()
    window.resize(1280, 800)
    window.show()
    window.go("Bench")
    part = station.active_route().antenna if not station.active_route().missing else station.parts[0]

    def settle() -> None:
        for _ in range(4):
            app.processEvents()

    def painted_unchanged() -> float:
        begun = time.perf_counter()
        for widget in (window, *window.findChildren(QWidget)):
            if widget.isVisible():
                widget.update()
        settle()
        return time.perf_counter() - begun

    def painted_edit(number: int) -> float:
        begun = time.perf_counter()
        session.building.set_value(part.name, "high_hz", f"{part.high_hz / 1e6 + number:.0f} MHz")
        settle()
        return time.perf_counter() - begun

    for number in range(3):
        painted_unchanged()
        painted_edit(number)
    pairs = [(painted_unchanged(), painted_edit(number)) for number in range(10, 40)]
    ratio = statistics.median(edit for _, edit in pairs) / statistics.median(plain for plain, _ in pairs)

    def whole_check() -> float:
        begun = time.perf_counter()
        check_yard(station)
        for line in station.resolved_routes():
            coverage(line)
        return time.perf_counter() - begun

    frames = statistics.median(whole_check() for _ in range(30)) / (1 / 60)
    print(f"     {len(station.parts)} parts, {len(station.routes)} routes; plain painting "
          f"{1000 * statistics.median(plain for plain, _ in pairs):.1f} ms")  # fmt: skip
    good = report("edit to painted / painting the same window unchanged, 60 parts", ratio, 2.0)
    return report("whole check and coverage / one display frame of 16.7 ms, 60 parts", frames, 1.0) and good


def survey() -> bool:
    """A full pass over 8-bit samples: spectrum, peak hold, I/Q and centre statistics; against real time and Welch."""
    from scipy.signal import welch

    from yarddial.dsp.sample_formats import as_complex
    from yarddial.dsp.survey import FFT_POINTS, SpanSurveyor

    raw = np.random.default_rng(1).integers(90, 166, 2 * int(RATE_HZ), dtype=np.uint8)
    samples = ((raw.astype(np.float32) - 127.5) / 127.5).view(np.complex64)
    surveyor = SpanSurveyor()

    def whole() -> None:
        """In blocks, as a recording is read."""
        for first in range(0, raw.size, BLOCK):
            surveyor.push(as_complex(raw[first : first + BLOCK], "cu8"))

    pass_s = timed(whole, 20)
    welch_s = timed(lambda: welch(samples, RATE_HZ, "hann", FFT_POINTS, return_onesided=False), 3)
    good = report("full pass over an 8-bit recording at 2.4 MS/s, times real time", 1 / pass_s, 30.0, at_least=True)
    return report("the same, times faster than scipy.signal.welch", welch_s / pass_s, 6.0, at_least=True) and good


def painting() -> bool:
    """Listen's chart, and the same data drawn by pyqtgraph."""
    from painting import frames_a_second

    ours, theirs = frames_a_second()
    good = report("Listen's chart at 1280x800, frames a second", ours, 150.0, at_least=True)
    return report("the same, times faster than drawn by pyqtgraph", ours / theirs, 2.0, at_least=True) and good


def hearing() -> bool:
    """Each way of hearing from 2.4 MS/s to sound, gain control and all, and what a further channel costs."""
    from listening import speeds

    found, good = speeds(timed), True
    for way in ("am", "sam", "usb", "lsb", "cw", "nfm", "wfm"):
        wanted = 40.0 if way == "wfm" else 60.0
        good = report(f"heard from 2.4 MS/s, {way}, times real time", found[way], wanted, at_least=True) and good
    ratio = found["am"] / found["plain"]
    good = report("AM, times faster than mixing and resample_poly", ratio, 6.0, at_least=True) and good
    return report("each further channel of the same span, ms for a second", found["further"], 1.5) and good


class _Gaps:
    """Lets a window live on, and tells the longest time that it did not."""

    def __init__(self, app: "QApplication") -> None:
        from PyQt6.QtCore import QTimer

        self._app, self._gaps, self._last_s = app, [0.0], time.perf_counter()
        self._timer = QTimer()
        self._timer.timeout.connect(self._tick)
        self._timer.start(4)

    def spin(self, seconds: float) -> float:
        """Worst gap, seconds."""
        self._gaps.clear()
        self._last_s = time.perf_counter()
        end_s = self._last_s + seconds
        while time.perf_counter() < end_s:
            self._app.processEvents()
            time.sleep(0.0005)
        return max(self._gaps)

    def _tick(self) -> None:
        now_s = time.perf_counter()
        self._gaps.append(now_s - self._last_s)
        self._last_s = now_s


def live() -> bool:
    """Samples at 2.56 MS/s through process, ring, spectra and window: delay, share of a core, gaps, losses."""
    import os

    from PyQt6.QtCore import QTimer

    from replay import RATE_HZ as LIVE_HZ
    from replay import open_replay
    from yarddial.engine.process import EngineProcess
    from yarddial.session.session import Session
    from yarddial.ui.main_window import MainWindow
    from yarddial.ui.start import dressed_application
    from yarddial.yard.demo import demo_station

    app = dressed_application("day", 1.0)
    station = demo_station()
    engine = EngineProcess(open_replay)
    session = Session(station, engine, _no_book)
    window = MainWindow(session)
    window.show()
    window.go("True")
    delays: list[float] = []
    spin = _Gaps(app).spin
    spin(1.0)
    idle_s = spin(5.0)

    def painted(read_s: float) -> None:
        delays.append(time.monotonic() - read_s)

    def drawn() -> None:
        # A timer of no length comes after the painting that was just asked for.
        if session.live_receiver.picture.read_s:
            QTimer.singleShot(0, partial(painted, session.live_receiver.picture.read_s))

    session.live_receiver.picture.on_spectrogram_moved(drawn)
    session.toggle_receiver()
    spin(4.0)
    delays.clear()
    tick_s = 1 / os.sysconf("SC_CLK_TCK")
    used = _cpu_ticks(engine.pid)
    begun = time.perf_counter()
    worst_s = spin(10.0)
    share = (_cpu_ticks(engine.pid) - used) * tick_s / (time.perf_counter() - begun)
    lost, left_out = session.live_receiver.lost_samples, session.live_receiver.pictures_left_out
    window.go("Listen")
    session.listening.clean(spike=True, mirrors=True)
    spin(4.0)
    used, begun = _cpu_ticks(engine.pid), time.perf_counter()
    resizing_s = 0.0
    for number in range(8):
        window.resize(1100 + 20 * number, 720 + 10 * number)
        resizing_s = max(resizing_s, spin(1.0))
    heard_share = (_cpu_ticks(engine.pid) - used) * tick_s / (time.perf_counter() - begun)
    lost += session.live_receiver.lost_samples
    window.close()
    session.close()
    gap_text = f"worst gap of the window idle {1000 * idle_s:.0f} ms, streaming {1000 * worst_s:.0f} ms"
    print(f"     {LIVE_HZ / 1e6:g} MS/s; {gap_text}; {left_out} pictures left out")
    # A picture's column is every tenth of a second, and waits for the next.
    delay_s = statistics.median(delays) if delays else float("inf")
    good = report("from sample read to picture painted / a column of 0.1 s", delay_s / 0.1, 1.5)
    good = report("engine's share of one core at 2.56 MS/s", share, 0.5) and good
    good = report("worst gap of the window while streaming / ten frames of 16.7 ms", worst_s / 0.167, 1.0) and good
    good = report("the same, listening, cleaning up and resizing", resizing_s / 0.167, 1.0) and good
    good = report("engine's share of one core, listening and cleaning up", heard_share, 0.9) and good
    return report("samples lost", lost, 0.0) and good


def _cpu_ticks(pid: int | None) -> int:
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return int(fields[11]) + int(fields[12])


def _no_book() -> object:
    from yarddial.yard.errors import LogNotWritten

    raise LogNotWritten("there is no log in a bench")


def ghosts() -> bool:
    """Products of many strong signals, all of them and those in a span, beside plain nested loops in the same run."""
    from yarddial.analysis.ghosts.prediction import predict
    from yarddial.analysis.ghosts.products import products
    from yarddial.analysis.ghosts.scene import ReceiverModel, Scene
    from yarddial.yard.frequency_conversion import Stage
    from yarddial.yard.strong import Strong

    model = ReceiverModel(iip2_dbm=20.0, iip3_dbm=-10.0, iip4_dbm=0.0, iip5_dbm=5.0, mirror_db=40.0, harmonic_db=45.0)
    window = ((129e6, 131e6),)

    def signals(count: int) -> tuple[np.ndarray, np.ndarray]:
        chance = np.random.default_rng(count)
        return chance.uniform(1e6, 1e9, count), chance.uniform(-60, -30, count)

    def loops(hertz: list[float], level: list[float]) -> list[tuple[float, float]]:
        intercepts = {2: 20.0, 3: -10.0, 4: 0.0, 5: 5.0}
        found = []
        for i in range(len(hertz)):
            for j in range(i + 1, len(hertz)):
                for a in range(1, 5):
                    for b in range(1, 6 - a):
                        dbm = a * level[i] + b * level[j] - (a + b - 1) * intercepts[a + b]
                        found.append((a * hertz[i] + b * hertz[j], dbm))
                        found.append((abs(a * hertz[i] - b * hertz[j]), dbm))
        return found

    hertz, level = signals(200)
    whole = timed(lambda: products(hertz, level, model, 5), 9)
    inside = timed(lambda: products(hertz, level, model, 5, -200.0, window), 9)
    plain = timed(lambda: loops(hertz.tolist(), level.tolist()), 1)
    strong = tuple(Strong(f, p) for f, p in zip(hertz.tolist(), level.tolist(), strict=True))
    yard = (Stage("low", 9.75e9, 100.0, "A"), Stage("sum", 120e6, 1.0, "B"))
    scene = Scene(strong, yard, model, None, 45.0, -60.0)
    seen = timed(lambda: predict(scene, 9.76e9, 2.048e6, -130.0, 5), 5)
    many = timed(lambda: products(*signals(1_000), model, 5), 3)
    grown = ", ".join(f"{1e3 * _grown(products, signals(n), model):.1f}" for n in GROWTH)
    print(f"     growth, ms for 100, 200, 400, 800 signals: {grown}")
    print(f"     two converters, what this span will show, levels and places: {1e3 * seen:.1f} ms")
    good = report("200 signals to order 5, all 398,000 products, ms", 1e3 * whole, 20.0)
    good = report("what of them falls into a span, triples too, ms", 1e3 * inside, 10.0) and good
    good = report("1,000 signals, ten million products, ms", 1e3 * many, 250.0) and good
    return report("against plain nested loops, times", plain / whole, 5.0, at_least=True) and good


GROWTH = (100, 200, 400, 800)


def _grown(products: object, signals: tuple[np.ndarray, np.ndarray], model: object) -> float:
    assert callable(products)
    return timed(lambda: products(*signals, model, 5), 3)


BENCHES = {
    "bench": bench_place, "carrier": carrier, "ghosts": ghosts, "hearing": hearing, "live": live, "painting": painting,
    "simulated": simulated, "start": start_up, "survey": survey,
}  # fmt: skip


def main() -> int:
    """Run those named, or all."""
    names = sys.argv[1:] or list(BENCHES)
    unknown = [name for name in names if name not in BENCHES]
    if unknown:
        print(f"there is no bench '{unknown[0]}': choose from {', '.join(BENCHES)}", file=sys.stderr)
        return 2
    results = [BENCHES[name]() for name in names]
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())
