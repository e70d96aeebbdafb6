"""`yard-dial true FILE.csv`."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from yarddial.cli.options import answer, json_option, waiting
from yarddial.records.observation_file import read_observations, write_observations
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import is_in_ppm, spoken, value_text

if TYPE_CHECKING:
    from yarddial.analysis.correction.fit import Estimate


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--working", is_flag=True, help="Show the working.")
@click.option(
    "--write", "out", type=click.Path(path_type=Path), help="Write the rows with what the fit leaves of each."
)
@json_option
def command(file: Path, working: bool, out: Path | None, as_json: bool) -> None:
    """Print each oscillator's error, what cannot yet be separated, and which rows do not fit."""
    from yarddial.analysis.correction.fit import fit

    with waiting("reading and fitting"):
        solution = fit(read_observations(file))
    if out is not None:
        write_observations(out, solution.observations, solution.residuals_hz)
    receiver, clock = (
        next((e for e in solution.estimates if e.name.startswith(k)), None) for k in ("crystal:", "clock:")
    )
    values = {
        "receiver_ppm": _in_ppm(receiver),
        "sample_clock_ppm": _in_ppm(clock),
        "converters": [
            _converter(name, lo_hz, solution.estimate(name)) for name, lo_hz in _converters(solution.observations)
        ],
        "oscillators": [
            {
                "name": e.name,
                "value": e.value,
                "sigma": e.sigma,
                "unit": "ppm" if is_in_ppm(e.name) else "Hz",
                "separate": e.separate,
            }
            for e in solution.estimates
        ],
        "outliers": [row + 1 for row in solution.outliers],
        "inseparable": list(solution.inseparable),
        "remarks": [remark.sentence for remark in solution.remarks],
        "chi2": solution.chi2,
        "dof": solution.dof,
    }
    lines = [f"{spoken(e.name)}: {value_text(e.name, e.value, e.sigma)}" for e in solution.estimates if e.separate]
    lines += [*solution.inseparable, *(remark.sentence for remark in solution.remarks)]
    if solution.outliers:
        lines.append("left out: row " + ", ".join(str(row + 1) for row in solution.outliers))
    answer(as_json, values, solution.working().as_text() if working else "\n".join(lines))


def _in_ppm(estimate: "Estimate | None") -> dict[str, float] | None:
    known = estimate is not None and estimate.separate
    return {"value": estimate.value, "sigma": estimate.sigma} if known and estimate is not None else None


def _converters(observations: tuple[Observation, ...]) -> list[tuple[str, float]]:
    nominal_los_hz = {stage.unknown: stage.nominal_lo_hz for seen in observations for stage in seen.stages}
    return list(nominal_los_hz.items())


def _converter(name: str, lo_hz: float, estimate: Any) -> dict[str, Any]:
    known = estimate is not None and estimate.separate
    unit_hz = lo_hz * 1e-6 if is_in_ppm(name) else 1.0
    return {
        "through": name.partition(":")[2],
        "lo_error_hz": estimate.value * unit_hz if known else None,
        "lo_error_ppm": estimate.value * unit_hz / lo_hz * 1e6 if known else None,
        "sigma_hz": estimate.sigma * unit_hz if known else None,
    }
