"""Bands in CSV and JSON files: name, low_hz, high_hz, kind, mode, source; frequencies as the dial reads them."""

import csv
import io
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from yarddial.records.reading import BANDS, cut, read_json_value, read_rows
from yarddial.records.whole_file import write_whole
from yarddial.yard.bands import Band
from yarddial.yard.errors import BadStation, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.modes import ALL_MODES
from yarddial.yard.plain_text import csv_cell, shown

COLUMNS = ("name", "low_hz", "high_hz", "kind", "mode", "source")
MODE_KEYS = tuple(mode.key for mode in ALL_MODES)


def read_bands(path: Path) -> tuple[Band, ...]:
    """Read bands, JSON by the file's ending, else CSV; raises BadStation with the row and the fault."""
    rows: list[Any]
    if path.suffix.lower() == ".json":
        loaded = read_json_value(path, BANDS, BadStation)
        rows = loaded if isinstance(loaded, list) else [None]
        if len(rows) > BANDS.max_rows:
            raise BadStation(f"{shown(path.name)} has more than {BANDS.max_rows:,} bands: split it")
    else:
        rows = [row for _, row in read_rows(path, BANDS, COLUMNS[:3], BadStation)]
    if not rows:
        raise BadStation(f"{shown(path.name)} has no bands in it")
    return tuple(_band(number, row) for number, row in enumerate(rows, 1))


def write_bands(path: Path, bands: Sequence[Band]) -> None:
    """Write bands, JSON by the file's ending, else CSV; raises NotWritten."""
    rows = [dict(zip(COLUMNS, (b.name, b.low_hz, b.high_hz, b.kind, b.mode_key, b.source), strict=True)) for b in bands]
    if path.suffix.lower() == ".json":
        write_whole(path, (json.dumps(rows, indent=1, ensure_ascii=False) + "\n").encode())
        return
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    writer.writerows({key: csv_cell(cell) for key, cell in row.items()} for row in rows)
    write_whole(path, out.getvalue().encode())


def _band(number: int, row: object) -> Band:
    if not isinstance(row, Mapping):
        raise BadStation(f"row {number} is no band: give name, low_hz, high_hz, and perhaps kind and mode")
    name, kind, mode, source = (str(row.get(key) or "").strip() for key in ("name", "kind", "mode", "source"))
    try:
        low_hz, high_hz = (parse_frequency(str(row.get(key) or "")) for key in ("low_hz", "high_hz"))
    except YardDialError as error:
        raise BadStation(cut(f"row {number}: {error}")) from error
    if not name or not 0 < low_hz < high_hz:
        raise BadStation(f"row {number}: a band needs a name and two ends above 0, the lower first")
    if mode and mode not in MODE_KEYS:
        raise BadStation(f"row {number}: '{mode[:40]}' is no mode: choose one of {', '.join(MODE_KEYS)}")
    return Band(name, low_hz, high_hz, kind or "own", mode, source=source)
