"""Known stations in CSV files: name, frequency_hz, kind, sigma_hz; frequencies as the dial reads them."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from yarddial.records.reading import REFERENCES, cut, read_rows
from yarddial.yard.errors import BadStation, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.plain_text import one_line, shown
from yarddial.yard.references import KINDS, kind_named, why_no_reference
from yarddial.yard.station import Reference

COLUMNS = ("name", "frequency_hz", "kind", "sigma_hz", "note")


def read_references(path: Path) -> tuple[Reference, ...]:
    """Read a CSV; a missing sigma is taken from the kind. Raises BadStation with the row and the fault."""
    references = tuple(_reference(number, row) for number, row in read_rows(path, REFERENCES, COLUMNS[:3], BadStation))
    if not references:
        raise BadStation(f"{shown(path.name)} has no stations in it")
    return references


def _reference(number: int, row: Mapping[str, Any]) -> Reference:
    name, kind_name, uncertainty, note = (
        one_line(str(row.get(key) or "")) for key in ("name", "kind", "sigma_hz", "note")
    )
    kind = kind_named(kind_name)
    try:
        frequency_hz = parse_frequency(str(row.get("frequency_hz") or ""))
        if kind is None:
            raise BadStation(f"'{kind_name[:40]}' is no kind of station: one of {', '.join(k.name for k in KINDS)}")
        if why := why_no_reference(kind.name, frequency_hz):
            raise BadStation(f"{name or 'it'} trues nothing: {why}")
        if kind.asks and not uncertainty:
            raise BadStation(f"{kind.name}: how well it is kept is its keeper's to say; give sigma_hz")
        sigma_hz = parse_frequency(uncertainty) if uncertainty else kind.sigma_hz(frequency_hz)
    except YardDialError as error:
        raise BadStation(cut(f"row {number}: {error}")) from error
    if not name or frequency_hz <= 0 or not sigma_hz > 0:
        raise BadStation(f"row {number}: a station needs a name, a frequency above 0 and an uncertainty above 0")
    return Reference(name, frequency_hz, sigma_hz, kind.name, kind.mode, note)
