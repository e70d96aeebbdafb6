"""Good files to begin with, and what makes them bad: for the proof of hostile files."""

import json
from pathlib import Path
from random import Random

import msgspec

from random_yard import random_yard
from yarddial.analysis.audit.check import check_yard
from yarddial.records.part_file import load_part, save_part
from yarddial.records.station_file import StationFile, load_station
from yarddial.yard.demo import DEMO_PARTS, demo_station
from yarddial.yard.reach import choices, coverage

TOUCHSTONE = """! a low-pass, measured
# MHz S DB R 50
1 -30 10 -0.2 -5 -0.2 -5 -30 10
10 -25 20 -0.3 -50 -0.3 -50 -25 20
30 -10 40 -1.0 -90 -1.0 -90 -10 40
60 -1 80 -40.0 -120 -40.0 -120 -1 80
120 -0.5 90 -62.0 -150 -62.0 -150 -0.5 90
"""
# Pieces that hurt readers.
_NASTY = (b"NaN", b"1e999", b"-1", b"0", b"null", b"{}", b"[]", b"\xff\xfe", b'"', b"99999999999999999999", b"\x00",
          b"#", b"[Version] 2.0\n", b"[Number of Ports] 9999\n", b"# Hz Z RI R 0\n", b"true", b"1e-320")  # fmt: skip


def use(path: Path, kind: str) -> None:
    if kind != "station":
        load_part(path)
        return
    station = load_station(path).station
    check_yard(station)
    choices(station, station.dial_hz)
    for line in station.resolved_routes():
        coverage(line)


def good_files(folder: Path) -> dict[str, list[bytes]]:
    """Good files to begin with: small, so that a mutation hits something that matters."""
    stations, parts = [], []
    for station in (demo_station(), *(random_yard(seed) for seed in range(20))):
        path = folder / "seed.yard.json"
        StationFile(path, station).save(station)
        stations.append(path.read_bytes())
    for part in DEMO_PARTS:
        path = folder / "seed.part.json"
        save_part(path, part)
        parts.append(path.read_bytes())
    older = [path.read_bytes() for path in (Path(__file__).parents[1] / "tests/records/files").glob("*.yard.json")]
    return {"station": stations + older, "part": parts, "s2p": [TOUCHSTONE.encode(), TOUCHSTONE.lower().encode()]}


def mutated(content: bytes, chance: Random) -> bytes:
    """Bytes flipped, pieces cut, doubled or replaced; or a JSON value put in another's place."""
    if content.startswith(b"{") and chance.random() < 0.5:
        return _twisted(content, chance)
    data = bytearray(content)
    for _ in range(chance.choice((1, 1, 2, 4, 12))):
        at = chance.randrange(len(data) + 1)
        what = chance.randrange(5)
        if what == 0 and at < len(data):
            data[at] = chance.randrange(256)
        elif what == 1:
            del data[at : at + chance.choice((1, 3, 40, 4000))]
        elif what == 2:
            data[at:at] = data[at : at + chance.choice((1, 20, 300))]
        elif what == 3:
            data[at:at] = chance.choice(_NASTY)
        else:
            data[at : at + chance.choice((1, 4))] = chance.choice(_NASTY)
    return bytes(data)


def _twisted(content: bytes, chance: Random) -> bytes:
    raw = json.loads(content)
    for _ in range(chance.choice((1, 1, 2, 3))):
        here, trail = raw, []
        while isinstance(here, dict | list) and here and chance.random() < 0.85:
            key = chance.choice(list(here)) if isinstance(here, dict) else chance.randrange(len(here))
            trail.append((here, key))
            here = here[key]
        if not trail:
            continue
        parent, key = trail[-1]
        odd = (None, -1, 0, 1e300, -1e-9, 2**70, "", "x" * 300, [], {}, True, "NaN", [[1, 2]], float(chance.random()))
        parent[key] = chance.choice((*odd, msgspec.to_builtins(chance.choice(DEMO_PARTS))))
        if isinstance(parent, dict) and chance.random() < 0.2:
            parent.pop(key, None)
    return json.dumps(raw).encode()
