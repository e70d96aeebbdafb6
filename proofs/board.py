"""The demo yard's board against the simulator's truth, band by band, after three routes were trued."""

import tempfile
from pathlib import Path

from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import heron_world, quillet_world
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.demo import demo_station


def prove() -> bool:
    """Measure at 10 MHz, 145.2 MHz and 10.489 GHz, enter it, and ask the world for every band's middle."""
    good = True
    with tempfile.TemporaryDirectory() as name:
        engine = EngineInline(wiring.open_device_flat_out)
        session = Session(demo_station(), engine, lambda: Logbook(Path(name) / "log.sqlite"))
        session.poll()
        for dial_hz in (10e6, 145.2e6, 10.489e9):
            session.desk.dial(dial_hz)
            session.calibration.measure()
            while session.calibration.measuring is not None:
                session.poll()
            session.calibration.apply()
        worlds = {"Finch": quillet_world(), "Heron": heron_world()}
        for row in session.board.rows():
            if not row.route:
                print(f"     {row.band.name:<22} out of reach: {row.verdict[:80]}")
                continue
            line = session.desk.station.resolve(row.route)
            off_hz = true_dial_error_hz(worlds[line.receiver.name], line, row.band.middle_hz)
            assert row.state is not None
            fits = abs(off_hz - row.state.error_hz) <= 3 * row.state.sigma_hz
            serves = abs(off_hz) <= row.mode.tolerance_hz
            promised = row.mark in ("good", "unknown") and row.todo in ("", "listen")
            right = fits and (serves or not promised)
            good = good and right
            told = f"told {row.state.error_hz:+9.2f} Hz ± {row.state.sigma_hz:<9.2f} truly {off_hz:+9.2f} Hz"
            print(
                f"{'ok  ' if right else 'MISS'} {row.band.name:<20} {row.route:<24} {told}, {row.mode.name} bears "
                f"{row.mode.tolerance_hz:g}: {row.mark}"
            )
        session.close()
    return good
