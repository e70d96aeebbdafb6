"""Strong signals as CSV: frequency_hz, level_dbm, name, and optionally width_hz and the antenna."""

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

from yarddial.records.reading import STRONG_SIGNALS_FILE, cut, read_rows
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadObservations, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.plain_text import csv_cell
from yarddial.yard.strong import Strong

COLUMNS = ("frequency_hz", "level_dbm", "name")
OPTIONAL_COLUMNS = ("width_hz", "antenna")


def read_strong(path: Path) -> tuple[Strong, ...]:
    """Strong signals from a file; raises BadObservations with row and column."""
    return tuple(
        _strong(number, row) for number, row in read_rows(path, STRONG_SIGNALS_FILE, COLUMNS[:2], BadObservations)
    )


def write_strong(path: Path, signals: Sequence[Strong]) -> None:
    """Write signals, completely or not at all; raises NotWritten."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*COLUMNS, *OPTIONAL_COLUMNS))
    for signal in signals:
        writer.writerow(
            (
                repr(signal.frequency_hz),
                f"{signal.level_dbm:.1f}",
                csv_cell(signal.name),
                f"{signal.width_hz:.0f}",
                csv_cell(signal.antenna),
            )
        )
    write_whole(path, out.getvalue().encode())


def _strong(number: int, row: Mapping[str, str]) -> Strong:
    try:
        frequency_hz = parse_frequency(row["frequency_hz"] or "")
        width_hz = parse_frequency(row.get("width_hz") or "0")
        level_dbm = float((row["level_dbm"] or "").replace("−", "-").removesuffix("dBm"))
    except (YardDialError, ValueError) as error:
        raise BadObservations(cut(f"row {number}: {error}; give hertz and dBm")) from error
    if not (frequency_hz > 0 and width_hz >= 0 and -250 < level_dbm < 60):
        raise BadObservations(f"row {number}: {level_dbm:g} dBm at {frequency_hz:g} Hz cannot be received")
    name, antenna = ((row.get(key) or "").strip() for key in ("name", "antenna"))
    return Strong(frequency_hz, level_dbm, name, width_hz, antenna)
