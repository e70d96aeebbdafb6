"""Nothing silently wrong: each case is made, and what is said of it is looked for and printed."""

import csv
import json
import subprocess
import sys
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import msgspec
import numpy as np

from yarddial import wiring
from yarddial.engine.link import EngineInline
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedObservation
from yarddial.records.logbook import Logbook
from yarddial.records.recordings import write_sigmf
from yarddial.session.overview.findings import findings
from yarddial.session.session import Session
from yarddial.yard.demo import demo_station
from yarddial.yard.observation import Observation
from yarddial.yard.parts import Receiver
from yarddial.yard.station import Reference

RATE_HZ, CENTRE_HZ = 48_000.0, 10e6


def prove() -> bool:
    """Every case by itself."""
    good = True
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for what, (make, wanted) in _cases(folder).items():
            said = make()
            told = wanted in said
            good = good and told
            print(f"{'ok  ' if told else 'MISS'} {what}: {said.strip()[:300]}")
    return good


def _cases(folder: Path) -> dict[str, tuple[Callable[[], str], str]]:
    def tones(*lines: tuple[float, float], seconds: float = 4.0, noise: float = 1e-3) -> Callable[[], str]:
        def run() -> str:
            chance, count = np.random.default_rng(2), int(seconds * RATE_HZ)
            time_s = np.arange(count) / RATE_HZ
            wave = noise * (chance.standard_normal(count) + 1j * chance.standard_normal(count))
            for hertz, size in lines:
                wave = wave + size * np.exp(2j * np.pi * hertz * time_s)
            wave = np.clip(wave.real, -1, 1) + 1j * np.clip(wave.imag, -1, 1)
            path = write_sigmf(folder / "r", [wave.astype(np.complex64)], RATE_HZ, CENTRE_HZ, {}).path
            return _command("measure", str(path), "--near", "10.003M", "--within", "500")

        return run

    return {
        "too short": (tones((3_000.0, 0.1), seconds=0.001), "samples"),
        "no carrier": (tones(), "no carrier stands out"),
        "two carriers, in a file": (tones((3_000.0, 0.1), (3_150.0, 0.09)), "as strong as this one"),
        "saturated, in a file": (tones((3_000.0, 3.0)), "full scale"),
        "saturated, live": (lambda: _live(folder), "full scale"),
        "a wrong reference of six": (lambda: _wrong(folder, 6), "left out: row 4"),
        "a wrong reference of two, which nobody can tell": (lambda: _wrong(folder, 2), "unchecked"),
        "a reference that is off on purpose": (lambda: _airband(folder), "on purpose"),
        "the clock set back": (lambda: _set_back(folder), "set back"),
        "30,000 observations": (lambda: _many(folder), "left out"),
        "30,000 observations in the window": (lambda: _many_in_window(folder), "more than the 2000"),
    }


def _command(*arguments: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "yarddial", *arguments], capture_output=True, text=True, check=False, timeout=300
    )
    if "Traceback" in done.stderr:
        return "a traceback!"
    return done.stdout + done.stderr


def _session(folder: Path, **changes: object) -> Session:
    station = demo_station()
    finch = station.part("Finch")
    station = station.with_part(msgspec.structs.replace(finch, **changes)) if changes else station
    (folder / "log.sqlite").unlink(missing_ok=True)
    made = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(folder / "log.sqlite"))
    made.poll()
    return made


def _live(folder: Path) -> str:
    """Measure with the simulated receiver at its highest gain in the FM band, where it is driven to its limits."""
    finch = demo_station().part("Finch")
    assert isinstance(finch, Receiver)
    stages = tuple(msgspec.structs.replace(stage, set_db=stage.steps_db[-1]) for stage in finch.gain_stages)
    session = _session(folder, gain_stages=stages)
    session.other_methods.keep_reference(Reference("Strong one", 96.2e6, 700.0, "FM broadcaster", "wfm"))
    session.desk.dial(96.2e6)
    session.calibration.measure()
    while session.calibration.measuring is not None:
        session.poll()
    outcome = session.calibration.outcome
    session.close()
    return "" if outcome is None else outcome.text


def _rows(path: Path, count: int, wrong: tuple[int, ...]) -> Path:
    chance = np.random.default_rng(5)
    with path.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(("reference_hz", "reference_sigma_hz", "measured_hz", "sigma_hz", "through"))
        for i in range(count):
            through = "sum:120M" if i % 2 else ""
            true_hz = float(chance.uniform(1e6, 29e6) if through else chance.uniform(60e6, 900e6))
            lo_hz = 120e6 + 412.0 if through else 0.0
            shown_hz = (true_hz + lo_hz) / (1 + 27e-6) + chance.normal(0, 0.3) + (40.0 if i in wrong else 0.0)
            writer.writerow((repr(true_hz), 0.3, repr(shown_hz - (120e6 if through else 0.0)), 0.05, through))
    return path


def _wrong(folder: Path, count: int) -> str:
    return _command("true", str(_rows(folder / "rows.csv", count, (3,))))


def _many(folder: Path) -> str:
    path = _rows(folder / "many.csv", 30_000, (100, 2_000, 25_000))
    answer = json.loads(_command("true", str(path), "--json"))
    crystal = answer["receiver_ppm"]
    return (
        f"{len(answer['outliers'])} left out, crystal {crystal['value']:+.5f} ± {crystal['sigma']:.5f} ppm (truly +27)"
    )


def _many_in_window(folder: Path) -> str:
    session = _session(folder)
    try:
        session.other_methods.read_file(_rows(folder / "many.csv", 30_000, ()))
    except ValueError as error:
        return str(error)
    finally:
        session.close()
    return "taken"


def _airband(folder: Path) -> str:
    session = _session(folder)
    station = session.desk.station
    tower = Reference("Harbour tower", 124.35e6, 10.0, "airband", "am")
    session.desk.edit("x", msgspec.structs.replace(station, references=(*station.references, tower)))
    session.desk.dial(124.35e6)
    said = session.calibration.why_not_measure()
    session.close()
    return said


def _set_back(folder: Path) -> str:
    session = _session(folder)
    ahead = (datetime.now(UTC) + timedelta(days=3)).strftime("%Y-%m-%dT%H:%M:%SZ")
    seen = Observation("Finch", 96.2e6, 1.0, 96.1974e6, 0.1, (), reference_name="Harbour 96", at_utc=ahead)
    told = LoggedObservation(seen, {"crystal:Finch": (27.0, 0.01)})
    session.log.add(Entry(station=session.desk.station.name, kind="observation", text="x", at_utc=ahead, data=told))
    session.calibration.recall()
    said = next((finding.what for finding in findings(session) if "set back" in finding.what), "nothing")
    session.close()
    return said
