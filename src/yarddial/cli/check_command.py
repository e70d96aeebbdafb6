"""`yard-dial check DEVICE`."""

from pathlib import Path

import click

from yarddial.cli.options import answer, json_option, positive
from yarddial.cli.output import say
from yarddial.cli.program import Doors


@click.command()
@click.argument("device")
@click.option(
    "--station", "file", type=click.Path(path_type=Path), help="Station file with its routes; the demo yard without."
)
@click.option("--route", "route_name", default="", help="Route to listen over.")
@click.option(
    "--seconds", "seconds_s", type=float, default=2.0, callback=positive, help="How long each rate is watched."
)
@click.option("--flat-out", is_flag=True, help="Do not wait for real time: for simulated receivers.")
@json_option
@click.pass_obj
def command(
    doors: Doors, device: str, file: Path | None, route_name: str, seconds_s: float, flat_out: bool, as_json: bool
) -> int:
    """Run First light on a receiver; status 1 when a check says stop."""
    from yarddial.records.station_file import load_station
    from yarddial.session.first_light.result import overall
    from yarddial.yard.demo import demo_station

    station = demo_station() if file is None else load_station(file).station
    run = doors.first_light(station, device, route_name, seconds_s, flat_out=flat_out)
    results = []
    for result in run.results():
        results.append(result)
        if not as_json:
            say(f"{result.verdict:<8}{result.name}: {result.detail}")
            for line in filter(None, (result.fix, result.remedy)):
                say(f"{'':<8}{line}")
    verdict = overall(results)
    values = {
        "device": device,
        "checks": [
            {"name": r.name, "verdict": r.verdict, "detail": r.detail, "fix": r.fix, "remedy": r.remedy}
            for r in results
        ],
        "verdict": verdict,
    }
    answer(as_json, values, f"verdict: {verdict}")
    return int(verdict == "stop")
