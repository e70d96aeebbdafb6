"""`yard-dial bench [FILE]`."""

from pathlib import Path

import click

from yarddial.cli.options import answer, json_option


@click.command()
@click.argument("file", type=click.Path(path_type=Path), required=False)
@json_option
def command(file: Path | None, as_json: bool) -> int:
    """Print what is wrong with a yard, the demo yard without a file; status 1 when something is a stop."""
    from yarddial.analysis.audit.check import check_yard
    from yarddial.records.station_file import load_station
    from yarddial.yard.demo import demo_station

    station = demo_station() if file is None else load_station(file).station
    findings = check_yard(station)
    values = {
        "station": station.name,
        "findings": [
            {
                "key": f.key,
                "verdict": f.mark,
                "safety": f.safety,
                "what": f.what,
                "why": f.why,
                "fix": f.mend_label,
                "distance_m": f.distance_m,
                "margin_db": f.margin_db,
                "path": list(f.path),
                "assumes": list(f.assumes),
                "acknowledged": None if f.seen is None else f.seen.note,
            }
            for f in findings
        ],
    }
    lines = [f"{'seen' if f.seen else f.mark:<8}{f.what}: {f.seen.note if f.seen else f.why}" for f in findings] or [
        "Nothing is wrong with the yard that its values could tell."
    ]
    answer(as_json, values, "\n".join(lines))
    return int(any(f.mark == "stop" and f.seen is None for f in findings))
