"""`yard-dial bands`."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import msgspec

from yarddial.cli.options import answer, json_option
from yarddial.yard.frequency import format_bound

if TYPE_CHECKING:
    from yarddial.analysis.board.row import BandRow
    from yarddial.yard.bands import Region


@click.command()
@click.option("--station", "file", type=click.Path(path_type=Path), help="A station file; the demo yard by default.")
@click.option("--region", type=click.Choice(("1", "2", "3")), help="The station's own by default.")
@click.option("--own", "own", type=click.Path(path_type=Path), help="Bands of your own besides, CSV or JSON.")
@click.option("--write", "out", type=click.Path(path_type=Path), help="Write the bands into a CSV or JSON file.")
@click.option("--report", "told", type=click.Path(path_type=Path), help="Write a report: .html, .md or .csv.")
@json_option
def command(
    file: Path | None, region: str | None, own: Path | None, out: Path | None, told: Path | None, as_json: bool
) -> None:
    """Tell for every band how it is reached, how true the dial is there, and what to do next. Check local rules."""
    from yarddial.analysis.board.report import Report, report_text
    from yarddial.analysis.board.row import row_of
    from yarddial.records.band_file import read_bands, write_bands
    from yarddial.records.entry import utc_now
    from yarddial.records.station_file import load_station
    from yarddial.records.whole_file import write_whole
    from yarddial.yard.demo import demo_station
    from yarddial.yard.oscillators import known_oscillators, stated_oscillators
    from yarddial.yard.reach import Reaches

    station = demo_station() if file is None else load_station(file).station
    chosen: Region = {"1": 1, "2": 2, "3": 3}.get(region or "", station.region)  # type: ignore[assignment]
    station = msgspec.structs.replace(station, region=chosen)
    if own is not None:
        station = station.with_own_bands(read_bands(own))
    known, stated = known_oscillators(station), stated_oscillators(station)
    measured = frozenset(
        n for n in known.names if (known.value(n), known.sigma(n)) != (stated.value(n), stated.sigma(n))
    )
    if out is not None:
        write_bands(out, station.bands)
    reaches = Reaches(station)
    rows = [row_of(station, band, known, measured, reaches=reaches) for band in station.bands]
    if told is not None:
        report = Report(station.name, station.region, utc_now(), tuple(rows))
        write_whole(told, report_text(report, told.name).encode())
    values: dict[str, Any] = {"bands": [_told(row) for row in rows]}
    wide = max(len(row.band.name) for row in rows)
    lines = []
    for row in rows:
        span = f"{format_bound(row.band.low_hz):>11} to {format_bound(row.band.high_hz):<11}"
        over = f"{row.route}: " if row.route else ""
        lines.append(f"{row.band.name:<{wide}}  {span} {row.mark:<8}{over}{row.verdict}")
    answer(as_json, values, "\n".join(lines))


def _told(row: "BandRow") -> dict[str, Any]:
    from yarddial.yard.bands import source_of

    band = row.band
    return {
        "name": band.name, "low_hz": band.low_hz, "high_hz": band.high_hz, "kind": band.kind,
        "source": source_of(band), "mode": row.mode.key,
        "route": row.route or None, "reached": row.reached, "error_hz": row.error_hz, "sigma_hz": row.sigma_hz,
        "measured": row.is_measured, "verdict": row.mark, "sentence": row.verdict, "todo": row.todo,
    }  # fmt: skip
