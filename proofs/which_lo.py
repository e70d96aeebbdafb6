"""Which oscillator a box has, on 500 boxes of all classes: by a station, and by its leak with the antenna on and off.

Oscillators err by the classes that makers' figures give; the leak's recordings are plain arithmetic, none of our code.
"""

import tempfile
from pathlib import Path

import numpy as np

from yarddial.analysis.correction.which_lo import which_lo
from yarddial.session.calibration.lo_leak_recording import leak_in_recording

BOXES, RATE_HZ, SECONDS = 500, 2.4e6, 0.25
# One sigma in ppm and how common: crystals by their trimming; LNBs by loop or by a resonator's 1 MHz of 10 GHz.
CRYSTALS, LNBS = ((5.0, 0.7), (30.0, 0.3)), ((15.0, 0.5), (100.0, 0.5))
LOW_HZ = (24e6, 50e6, 100e6, 106e6, 116e6, 120e6, 125e6, 200e6)
LNB_HZ = (9.0e9, 9.75e9, 10.0e9, 10.25e9, 10.6e9)
# Which is wrong yet decided at most so often; of boxes whose value is stated so many are decided.
WRONG, DECIDED = 0.01, 0.85


def prove() -> bool:
    """Half by a station, a quarter each by the leak with the antenna on and off."""
    good = True
    ways = {"a station": _by_station, "its leak, antenna on": _by_leak_on, "its leak, antenna off": _by_leak_off}
    counts = {"a station": BOXES // 2, "its leak, antenna on": BOXES // 4, "its leak, antenna off": BOXES // 4}
    for way, look in ways.items():
        decided = wrong = stated = 0
        for number in range(counts[way]):
            is_stated, is_decided, is_right = look(np.random.default_rng((len(way), number)))
            stated += is_stated
            decided += is_decided and is_stated
            wrong += is_decided and not is_right
        # With the antenna on other carriers may stand there: it is left open, and says that without it would decide.
        fine = wrong <= WRONG * counts[way] and (way.endswith("on") or decided >= DECIDED * stated)
        good = good and fine
        print(
            f"{'ok  ' if fine else 'MISS'} {counts[way]} boxes by {way}: of {stated} whose value was stated, and that "
            f"leak, {decided} decided, {wrong} wrong yet decided",
            flush=True,
        )
    return good


def _box(chance: np.random.Generator, places: tuple[float, ...], classes: tuple) -> tuple[float, float, list[float]]:
    """What is marked, what it is, and what leaflets state: with the marked one in nine cases of ten."""
    marked_hz = float(chance.choice(places))
    ppm = chance.normal(0, classes[0][0] if chance.random() < classes[0][1] else classes[1][0])
    others = [hertz for hertz in places if hertz != marked_hz]
    stated = [float(hertz) for hertz in chance.choice(others, min(3, len(others)), replace=False)]
    if chance.random() < 0.9:
        stated.append(marked_hz)
    return marked_hz, marked_hz * (1 + ppm * 1e-6), stated


def _by_station(chance: np.random.Generator) -> tuple[bool, bool, bool]:
    is_lnb = chance.random() < 0.4
    marked_hz, lo_hz, stated = _box(chance, LNB_HZ if is_lnb else LOW_HZ, LNBS if is_lnb else CRYSTALS)
    crystal_ppm = float(chance.normal(0, 25.0))
    if is_lnb:
        station_hz = float(chance.uniform(lo_hz + 0.7e9, lo_hz + 2e9))
        port_hz, kind = station_hz - lo_hz, "low"
    else:
        station_hz = float(chance.uniform(3e6, 30e6))
        port_hz, kind = station_hz + lo_hz, "sum"
    shown_hz = port_hz / (1 + crystal_ppm * 1e-6) + float(chance.normal(0, 50.0))
    found = which_lo(kind, station_hz, shown_hz, stated)  # type: ignore[arg-type]
    return (
        marked_hz in stated,
        found.decided,
        found.candidates[0].stated_hz == (marked_hz if marked_hz in stated else 0),
    )


def _by_leak_on(chance: np.random.Generator) -> tuple[bool, bool, bool]:
    return _by_leak(chance, stations=12)


def _by_leak_off(chance: np.random.Generator) -> tuple[bool, bool, bool]:
    return _by_leak(chance, stations=0)


def _by_leak(chance: np.random.Generator, stations: int) -> tuple[bool, bool, bool]:
    middle_hz = float(chance.uniform(90e6, 130e6))
    places = tuple(round(middle_hz + away, -3) for away in (-0.9e6, -0.55e6, 0.2e6, 0.6e6, 0.95e6))
    marked_hz, lo_hz, stated = _box(chance, places, CRYSTALS)
    crystal_ppm = float(chance.normal(0, 25.0))
    count = int(RATE_HZ * SECONDS)
    time_s = np.arange(count) / RATE_HZ
    wave = chance.standard_normal(count) + 1j * chance.standard_normal(count) + 3.0
    leaks = chance.random() < 0.9
    lines = [(lo_hz, 10 ** (chance.uniform(45, 65) / 20))] if leaks else []
    lines += [(middle_hz + float(chance.uniform(-1.1e6, 1.1e6)), 10 ** (chance.uniform(40, 80) / 20))
              for _ in range(int(chance.poisson(stations)))]  # fmt: skip
    for hertz, size in lines:
        shown_hz = hertz / (1 + crystal_ppm * 1e-6) - middle_hz
        wave += size * np.sqrt(2 / RATE_HZ) * np.exp(2j * np.pi * shown_hz * time_s)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "leak.cf32"
        (0.01 * wave).astype(np.complex64).tofile(path)
        found = leak_in_recording(
            path, stated, 0.0, 25.0, sample_format="cf32", rate_hz=RATE_HZ, centre_hz=middle_hz,
            antenna_off=not stations,
        )  # fmt: skip
    # Where nothing leaks nothing can be decided.
    return marked_hz in stated and leaks, found.decided, found.candidates[0].stated_hz == marked_hz
