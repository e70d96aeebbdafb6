"""2,000 random yards: files, arithmetic both ways, and coverage against a brute-force scan."""

import tempfile
from pathlib import Path
from random import Random

from random_yard import judged, random_yard
from yarddial.analysis.audit.check import check_yard
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.frequency_conversion import SamplingClock, path_sense, trace, trace_back
from yarddial.yard.reach import HIGH_HZ, LOW_HZ, coverage

YARDS, SCANNED = 2000, 400


def prove() -> bool:
    """One line a claim."""
    bytes_wrong = dial_wrong = sense_wrong = coverage_wrong = walked = scanned = findings = 0
    worst_hz = 0.0
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "x.yard.json"
        for seed in range(YARDS):
            station = random_yard(seed)
            StationFile(path, station).save(station)
            first = path.read_bytes()
            file = load_station(path)
            file.save(file.station)
            bytes_wrong += path.read_bytes() != first or file.station != station
            findings += len(check_yard(station))
            chance = Random(seed)
            for route, line in zip(station.routes, station.resolved_routes(), strict=True):
                segments = coverage(line)
                edges = [segments[0].low_hz, *(segment.high_hz for segment in segments)]
                coverage_wrong += edges[0] != LOW_HZ or edges[-1] != HIGH_HZ
                for index in range(SCANNED // len(station.routes)):
                    share = (index + chance.random()) / (SCANNED // len(station.routes))
                    hertz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** share
                    if min(abs(hertz - edge) for edge in edges) < 1e-3:
                        continue
                    state, inverted, port_hz = judged(station, route, hertz)
                    segment = next(s for s in segments if s.low_hz <= hertz <= s.high_hz)
                    scanned += 1
                    same = segment.state == state and (state in ("out", "hole") or segment.inverted == inverted)
                    coverage_wrong += not same
                    if state in ("out", "hole"):
                        continue
                    here = line.at(hertz)
                    clock = SamplingClock(chance.uniform(-60, 60), chance.uniform(-60, 60))
                    walked += 1
                    back = trace_back(hertz, here.stages, clock)
                    again = trace(back.antenna_hz, here.stages, clock)
                    # Rounding: float64 carries about 16 digits of the largest frequency on the way.
                    largest = max(abs(f) for f in (hertz, back.antenna_hz, again.port_hz, *again.out_hz))
                    off_hz = abs(again.dial_hz - hertz)
                    worst_hz = max(worst_hz, off_hz - 4 * largest * 2**-52)
                    dial_wrong += off_hz > 1e-6 + 8 * largest * 2**-52
                    fold = here.fold(here.points()[-1].out_hz)
                    sense = path_sense(here.stages) * (1 if fold is None else fold.sense)
                    sense_wrong += (sense < 0) != inverted
                    sense_wrong += abs(here.points()[-1].out_hz - port_hz) > 1e-5 + largest * 2**-50
    print(f"{YARDS} yards: {bytes_wrong} whose bytes differ after save, load, save")
    print(f"{walked} dial readings back and forth: {dial_wrong} off, worst beyond rounding {max(worst_hz, 0):.2g} Hz")
    print(f"senses and frequencies at the socket against the judge: {sense_wrong} differ")
    print(f"{scanned} frequencies scanned by brute force: {coverage_wrong} disagree with the coverage")
    print(f"{findings} findings on the way, none of them an exception")
    return not (bytes_wrong or dial_wrong or sense_wrong or coverage_wrong)
