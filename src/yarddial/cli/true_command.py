"""`yard-dial true FILE.csv`."""

import csv
from pathlib import Path
from typing import Any

import click

from yarddial.analysis.correction.observation import Observation, SeenStage
from yarddial.cli.options import answer, json_option
from yarddial.yard.errors import BadObservations, YardDialError
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.oscillators import lo_of, spoken, value_text
from yarddial.yard.path import parse_stage

COLUMNS = ("reference_hz", "reference_sigma_hz", "measured_hz", "sigma_hz", "through")
RECEIVER = "receiver"


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--working", is_flag=True, help="Show the working.")
@json_option
def command(file: Path, working: bool, as_json: bool) -> None:
    """Print each oscillator's error, what cannot be told apart, and which rows do not fit."""
    from yarddial.analysis.correction.fit import fit

    found = fit(read_observations(file))
    receiver = next(estimate for estimate in found.estimates if estimate.name.startswith("crystal:"))
    values = {
        "receiver_ppm": {"value": receiver.value, "sigma": receiver.sigma} if receiver.separate else None,
        "converters": [
            _converter(name, lo_hz, found.estimate(name)) for name, lo_hz in _converters(found.observations)
        ],
        "outliers": [row + 1 for row in found.outliers],
        "inseparable": list(found.inseparable),
        "remarks": list(found.remarks),
        "chi2": found.chi2,
        "dof": found.dof,
    }
    lines = [f"{spoken(e.name)}: {value_text(e.name, e.value, e.sigma)}" for e in found.estimates if e.separate]
    lines += [*found.inseparable, *found.remarks]
    if found.outliers:
        lines.append("left out: row " + ", ".join(str(row + 1) for row in found.outliers))
    answer(as_json, values, found.working().as_text() if working else "\n".join(lines))


def read_observations(file: Path) -> list[Observation]:
    """Read the CSV; raises BadObservations with row and column."""
    try:
        text = file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise BadObservations(f"cannot read {file}: {getattr(error, 'strerror', None) or 'it is no text'}") from error
    rows = csv.DictReader(text.splitlines(), skipinitialspace=True)
    missing = [name for name in COLUMNS if name not in (rows.fieldnames or [])]
    if missing:
        raise BadObservations(
            f"{file.name} has no column '{missing[0]}': its first line must name {', '.join(COLUMNS)}"
        )
    try:
        names: dict[tuple[str, float], str] = {}
        observations = [_observation(number, row, names) for number, row in enumerate(rows, 1)]
    except csv.Error as error:
        raise BadObservations(f"{file.name} is no readable CSV: {error}") from error
    if not observations:
        raise BadObservations(f"{file.name} has no rows: measure a known carrier first")
    return observations


def _observation(number: int, row: dict[str, Any], names: dict[tuple[str, float], str]) -> Observation:
    """Read one row; `names` keeps the first spelling of each converter, so that 120M and 120000000 are one."""

    def hertz(column: str) -> float:
        try:
            return parse_frequency(row[column] or "")
        except YardDialError as error:
            raise BadObservations(f"row {number}, {column}: {error}") from error

    try:
        stages = [parse_stage(text) for text in (row["through"] or "").split(";") if text.strip()]
    except YardDialError as error:
        raise BadObservations(f"row {number}, through: {error}") from error
    observation = Observation(
        receiver=RECEIVER,
        reference_hz=hertz("reference_hz"),
        reference_sigma_hz=hertz("reference_sigma_hz"),
        dial_hz=hertz("measured_hz"),
        sigma_hz=hertz("sigma_hz"),
        stages=tuple(SeenStage(names.setdefault((s.kind, s.lo_hz), s.name), s.kind, s.lo_hz, s.lo_hz) for s in stages),
    )
    if min(observation.reference_sigma_hz, observation.sigma_hz) < 0 or observation.total_sigma_hz == 0:
        raise BadObservations(f"row {number}: a doubt must be positive; give sigma_hz or reference_sigma_hz above 0")
    return observation


def _converters(observations: tuple[Observation, ...]) -> list[tuple[str, float]]:
    found = {lo_of(stage.name): stage.nominal_lo_hz for seen in observations for stage in seen.stages}
    return list(found.items())


def _converter(name: str, lo_hz: float, estimate: Any) -> dict[str, Any]:
    known = estimate is not None and estimate.separate
    return {
        "through": name.partition(":")[2],
        "lo_error_hz": estimate.value if known else None,
        "lo_error_ppm": estimate.value / lo_hz * 1e6 if known else None,
        "sigma_hz": estimate.sigma if known else None,
    }
