"""The demo yard trued from scratch for many seeds, judged by the truth that the simulator holds."""

import tempfile
from pathlib import Path

import msgspec
import numpy as np

from yarddial import wiring
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.session import Session
from yarddial.yard.demo import DIRECT, VIA_LADDER, demo_station

SEEDS = range(1, 26)


def prove() -> bool:
    """Two measurements and one apply; then the dial's true error at 10 MHz and 145.2 MHz."""
    errors = []
    with tempfile.TemporaryDirectory() as folder:
        for seed in SEEDS:
            errors.append(_one(seed, Path(folder) / f"{seed}.sqlite"))
    worst = np.abs(errors).max(axis=0)
    good = bool(worst[0] < 1.0 and worst[1] < 2.0)
    print(
        f"{'ok  ' if good else 'MISS'} {len(errors)} seeds: worst {worst[0]:.3f} Hz at 10 MHz, "
        f"{worst[1]:.3f} Hz at 145.2 MHz"
    )
    return good


def _one(seed: int, log: Path) -> tuple[float, float]:
    station = demo_station()
    receiver = msgspec.structs.replace(station.resolve().receiver, device=f"simulated:finch?seed={seed}")
    session = Session(station.with_part(receiver), EngineInline(wiring.open_device_flat_out), lambda: Logbook(log))
    for _ in range(2):
        session.calibration.measure()
        while session.calibration.measuring is not None:
            session.poll()
        session.desk.step_reference(+1)
    session.calibration.apply()
    world, station = quillet_world(seed), session.desk.station
    errors = (
        true_dial_error_hz(world, station.resolve(VIA_LADDER), 10e6),
        true_dial_error_hz(world, station.resolve(DIRECT), 145.2e6),
    )
    session.close()
    return errors
