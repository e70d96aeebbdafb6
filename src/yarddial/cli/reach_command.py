"""`yard-dial reach FREQ [--station FILE]`."""

from pathlib import Path

import click

from yarddial.cli.options import FREQUENCY, answer, json_option


@click.command()
@click.argument("frequency", type=FREQUENCY)
@click.option("--station", "file", type=click.Path(path_type=Path), help="Station file; the demo yard without.")
@json_option
def command(frequency: float, file: Path | None, as_json: bool) -> int:
    """Print the routes to a frequency, the best first, with the frequency at each part; status 1 when there is none."""
    from yarddial.records.station_file import load_station
    from yarddial.yard.demo import demo_station
    from yarddial.yard.frequency import format_frequency
    from yarddial.yard.reach import choices, coverage

    station = demo_station() if file is None else load_station(file).station
    order = choices(station, frequency)
    values = {
        "dial_hz": frequency,
        "routes": [
            {
                "route": choice.route.name,
                "state": choice.reach.state,
                "inverted": choice.reach.inverted,
                "reason": choice.reason,
                "plates": [
                    {"part": route_point.part.name, "hz": route_point.out_hz}
                    for route_point in (choice.route.at(frequency).points() if choice.reach.is_reached else ())
                ],
                "coverage": [
                    {"low_hz": s.low_hz, "high_hz": s.high_hz, "state": s.state, "inverted": s.inverted}
                    for s in coverage(choice.route)
                ],
            }
            for choice in order
        ],
    }
    lines = []
    for choice in order:
        lines.append(f"{choice.route.name}: {choice.reach.state}; {choice.reason}")
        if choice.reach.is_reached:
            route_points = choice.route.at(frequency).points()
            lines.append("    " + " > ".join(f"{h.part.name} {format_frequency(h.out_hz)}" for h in route_points))
    answer(as_json, values, "\n".join(lines) or "The yard has no route yet.")
    return int(not any(choice.reach.is_reached for choice in order))
