"""Observations in a CSV file; frequencies in any notation of the dial, written so that they read back equal."""

import csv
import io
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from yarddial.records.reading import OBSERVATIONS, cut, read_rows
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import BadObservations, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.frequency_conversion import parse_ppm, parse_stage
from yarddial.yard.observation import (
    CrystalAndClock,
    Observation,
    SeenStage,
    TellsOf,
    lasting_error_of,
    tells_of_centre,
)
from yarddial.yard.plain_text import csv_cell, shown

COLUMNS = ("reference_hz", "reference_sigma_hz", "measured_hz", "sigma_hz", "through")
# Optional columns; an empty cell keeps the default.
OPTIONAL_COLUMNS = (
    "name",
    "receiver",
    "route",
    "at_utc",
    "wander_hz",
    "centre_hz",
    "tells_of",
    "shares",
    "device",
    "entered_ppm",
    "parts",
)
RECEIVER = "receiver"


def read_observations(file: Path, receiver: str = RECEIVER) -> list[Observation]:
    """Read observations; raises BadObservations with row and column.

    receiver : for rows that name none.
    """
    names: dict[tuple[str, float], str] = {}
    rows = read_rows(file, OBSERVATIONS, COLUMNS, BadObservations)
    try:
        observations = [_observation(number, row, names, receiver) for number, row in rows]
    except BadObservations as error:
        raise BadObservations(cut(str(error))) from error
    if not observations:
        raise BadObservations(f"{shown(file.name)} has no rows: measure a known carrier first")
    return observations


def write_observations(file: Path, observations: Sequence[Observation], residuals_hz: Sequence[float] = ()) -> None:
    """Write observations, with the fit's residuals where known; raises NotWritten."""
    out = io.StringIO()
    columns = (*COLUMNS, *OPTIONAL_COLUMNS, *(("residual_hz",) if residuals_hz else ()))
    writer = csv.DictWriter(out, columns, lineterminator="\n")
    writer.writeheader()
    for i, seen in enumerate(observations):
        row: dict[str, Any] = {
            "reference_hz": repr(seen.reference_hz),
            "reference_sigma_hz": repr(seen.reference_sigma_hz),
            "measured_hz": repr(seen.dial_hz),
            "sigma_hz": repr(seen.sigma_hz),
            "through": ";".join(f"{stage.kind}:{stage.entered_lo_hz!r}" for stage in seen.stages),
            "name": seen.reference_name,
            "receiver": seen.receiver,
            "route": seen.route,
            "at_utc": seen.at_utc,
            "wander_hz": repr(seen.wander_hz),
            "centre_hz": repr(seen.tells_of.centre_hz) if isinstance(seen.tells_of, CrystalAndClock) else "",
            "tells_of": msgspec.to_builtins(seen.tells_of)["type"],
            "shares": seen.shares,
            "device": seen.device,
            "entered_ppm": repr(seen.entered_ppm),
            "parts": ";".join(
                f"{stage.name}:{stage.nominal_lo_hz!r}{':dial' if stage.follows_dial else ''}" for stage in seen.stages
            ),
        }
        if residuals_hz:
            row["residual_hz"] = f"{residuals_hz[i]:.4f}"
        writer.writerow({key: csv_cell(cell) for key, cell in row.items()})
    write_whole(file, out.getvalue().encode())


def _observation(
    number: int, row: Mapping[str, Any], names: dict[tuple[str, float], str], receiver: str
) -> Observation:
    """Read one row; `names` maps spellings of a converter to the first one, so that 120M and 120000000 are one."""

    def hertz(column: str, default: str = "") -> float:
        try:
            return parse_frequency(row.get(column) or default)
        except YardDialError as error:
            raise BadObservations(f"row {number}, {column}: {error}") from error

    def text(column: str) -> str:
        return str(row.get(column) or "").strip()

    try:
        stages = [parse_stage(part) for part in text("through").split(";") if part.strip()]
        entered_ppm = parse_ppm(text("entered_ppm") or "0")
    except YardDialError as error:
        raise BadObservations(f"row {number}, through or entered_ppm: {error}") from error
    parts = [part.split(":") for part in text("parts").split(";") if part.strip()]
    if parts and len(parts) != len(stages):
        raise BadObservations(f"row {number}, parts: {len(parts)} are named for {len(stages)} in 'through'")
    seen_stages = []
    for i, stage in enumerate(stages):
        name, nominal_hz = names.setdefault((stage.kind, stage.lo_hz), stage.name), stage.lo_hz
        follows = False
        if parts:
            name, nominal_hz, follows = _part(number, parts[i])
        seen_stages.append(SeenStage(name, stage.kind, nominal_hz, stage.lo_hz, follows))
    observation = Observation(
        receiver=text("receiver") or receiver,
        reference_hz=hertz("reference_hz"),
        reference_sigma_hz=hertz("reference_sigma_hz"),
        dial_hz=hertz("measured_hz"),
        sigma_hz=hertz("sigma_hz"),
        stages=tuple(seen_stages),
        entered_ppm=entered_ppm,
        reference_name=text("name"),
        route=text("route"),
        at_utc=text("at_utc"),
        wander_hz=hertz("wander_hz", "0"),
        tells_of=_tells_of(number, text("tells_of"), hertz("centre_hz") if text("centre_hz") else None),
        shares=text("shares") or lasting_error_of(text("name"), hertz("reference_hz")),
        device=text("device"),
    )
    if min(observation.reference_sigma_hz, observation.sigma_hz) < 0 or observation.total_sigma_hz == 0:
        raise BadObservations(f"row {number}: give an uncertainty above 0: sigma_hz or reference_sigma_hz")
    return observation


def _tells_of(number: int, text: str, centre_hz: float | None) -> TellsOf:
    """Clocks that a row depends on; older files encode this by the centre: none, 0 for the sample clock alone, or
    both.
    """
    if not text:
        return tells_of_centre(centre_hz)
    try:
        tells_of: TellsOf = msgspec.convert({"type": text, "centre_hz": centre_hz or 0.0}, TellsOf)
    except msgspec.ValidationError as error:
        raise BadObservations(
            f"row {number}, tells_of: write one crystal, sampling clock, or crystal and sampling clock, not '{text}'"
        ) from error
    return tells_of


def _part(number: int, words: Sequence[str]) -> tuple[str, float, bool]:
    """Read `Ladder:120000000`, followed by `:dial` for a transceiver."""
    try:
        return words[0].strip(), parse_frequency(words[1]), words[2:] == ["dial"]
    except (IndexError, YardDialError) as error:
        raise BadObservations(
            f"row {number}, parts: write NAME:NOMINAL, such as Ladder:120000000, not '{':'.join(words)}'"
        ) from error
