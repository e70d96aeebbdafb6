"""Export of the logbook: CSV for tables, JSON Lines with all data of an entry."""

import csv
import json
import os
import tempfile
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from yarddial.records.entry import Entry
from yarddial.records.log_data import log_builtins
from yarddial.records.whole_file import check_name, reason
from yarddial.yard.errors import NotWritten
from yarddial.yard.plain_text import csv_cell

COLUMNS = ("id", "at_utc", "station", "kind", "route", "method", "reference", "temperature_c", "text")
ENDINGS = (".csv", ".jsonl")


def check_target(path: Path) -> None:
    """Refuse an unknown format or an existing file; raises NotWritten."""
    if path.suffix.lower() not in ENDINGS:
        raise NotWritten(f"'{path.name}' is neither CSV nor JSON Lines: give a name ending in .csv or .jsonl")
    check_name(path)
    if os.path.exists(path):
        raise NotWritten(f"{path} is there already: give another name")


def export_log(entries: Iterable[Entry], path: Path) -> int:
    """Write entries into a new file, completely or not at all, and return their number. Raises NotWritten.

    CSV has the fields of `COLUMNS`; JSON Lines also has each entry's numbers under `data`.
    """
    check_target(path)
    temporary = ""
    try:
        number, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        with open(number, "w", encoding="utf-8", newline="") as file:
            table = csv.writer(file) if path.suffix.lower() == ".csv" else None
            if table is not None:
                table.writerow(COLUMNS)
            count = 0
            for entry in entries:
                row = {name: getattr(entry, name) for name in COLUMNS}
                if table is not None:
                    table.writerow([csv_cell(value) for value in row.values()])
                else:
                    file.write(json.dumps({**row, "data": log_builtins(entry.data)}, ensure_ascii=False) + "\n")
                count += 1
            file.flush()
            os.fsync(file.fileno())
        # Never overwrite a file created meanwhile.
        os.link(temporary, path)
    except OSError as error:
        raise NotWritten(f"cannot write {path}: {reason(error)}; nothing was written") from error
    finally:
        if temporary:
            with suppress(OSError):
                os.unlink(temporary)
    return count
