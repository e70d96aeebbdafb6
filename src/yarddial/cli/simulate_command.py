"""`yard-dial simulate OUT`."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from yarddial.cli.options import FREQUENCY, answer, json_option, positive
from yarddial.drivers.protocol import RequestedSettings
from yarddial.drivers.simulated.driver import SimulatedDriver
from yarddial.drivers.simulated.receiver import SimulatedReceiver
from yarddial.drivers.time_source import VirtualTime
from yarddial.yard.demo import demo_station
from yarddial.yard.errors import BadStation, CannotTune, DeviceNotFound
from yarddial.yard.frequency_conversion import shown_for_dial
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

MAX_S = 3600.0


@click.command()
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--receiver", default="Finch", help="Which simulated receiver.")
@click.option("--route", "route_name", default="", help="Route of the demo yard, or its port; by reach when left out.")
@click.option("--centre", "centre_hz", type=FREQUENCY, required=True, help="Dial frequency at the centre.")
@click.option("--rate", "rate_hz", type=FREQUENCY, callback=positive, help="Sample rate; the receiver's usual without.")
@click.option("--seconds", "seconds_s", type=float, default=1.0, callback=positive, help="Length.")
@click.option("--seed", type=click.IntRange(min=0), default=1, help="Which world.")
@json_option
def command(
    out: Path,
    receiver: str,
    route_name: str,
    centre_hz: float,
    rate_hz: float | None,
    seconds_s: float,
    seed: int,
    as_json: bool,
) -> None:
    """Write a SigMF recording and print what was true while it was made."""
    from yarddial.records.recordings import write_sigmf

    if seconds_s > MAX_S:
        raise CannotTune(f"--seconds {seconds_s:g} is longer than an hour: record in parts")
    station = demo_station()
    route = _line(station, receiver, route_name, centre_hz).at(centre_hz)
    name = route.receiver.device.partition(":")[2]
    # Tune a transceiver on the route to the centre, as its owner would.
    hearth = f"&hearth={centre_hz:.3f}" if route.transceiver is not None and route.stages else ""
    device = SimulatedDriver().open(f"{name}?seed={seed}{hearth}", VirtualTime())
    tuner_hz = shown_for_dial(centre_hz, route.stages)
    fold = route.fold(tuner_hz)
    tuner_hz = tuner_hz if fold is None else fold.convert(tuner_hz)
    rate_hz = route.receiver.rate_hz if rate_hz is None else rate_hz
    device.apply(RequestedSettings(tuner_hz, rate_hz, route.port))
    count = max(round(seconds_s * rate_hz), 1)
    about = {
        "description": f"{route.name}, simulated, seed {seed}",
        "hardware": f"{route.receiver.name} (simulated), {route.antenna.name}",
        "capture": {"yarddial:tuner_hz": tuner_hz, "yarddial:route": route.name},
    }
    recording = write_sigmf(out, _blocks(device, count), rate_hz, centre_hz, about)
    values: dict[str, Any] = {
        "file": str(recording.path),
        "samples": recording.count,
        "route": route.name,
        "tuner_hz": tuner_hz,
        "truth": device.truth(),
    }
    answer(as_json, values, f"{recording.path}: {recording.count} samples over {route.name}")


def _line(station: Station, receiver: str, wanted: str, centre_hz: float) -> ResolvedRoute:
    routes = [route for route in station.resolved_routes() if route.receiver.name.lower() == receiver.lower()]
    if not routes:
        able = ", ".join(sorted({route.receiver.name for route in station.resolved_routes()}))
        raise DeviceNotFound(f"there is no simulated receiver '{receiver}': choose one of {able}")
    if not wanted:
        reaching_lines = [route for route in routes if not route.why_not(centre_hz)]
        if not reaching_lines:
            reasons = "; ".join(route.why_not(centre_hz) for route in routes)
            raise CannotTune(f"no route to {receiver} reaches that centre: {reasons}", centre_hz)
        return reaching_lines[0]
    for route in routes:
        if wanted.lower() in (route.name.lower(), route.port, "direct" if not route.converters else ""):
            return route
        names = (route.antenna.name, *(converter.name for converter in route.converters))
        if any(wanted.lower() == name.lower() for name in names):
            return route
    able = ", ".join(f"'{route.name}' ({route.port})" for route in routes)
    raise BadStation(f"the demo yard has no route '{wanted}' to {receiver}: choose one of {able}")


def _blocks(device: SimulatedReceiver, count: int) -> Iterator[Any]:
    """Read the requested number of samples; with a progress bar on a terminal."""
    import sys

    from rich.progress import Progress

    with Progress(transient=True, disable=not sys.stderr.isatty()) as progress:
        task = progress.add_task("recording", total=count)
        left = count
        while left > 0:
            samples = device.read().samples[:left]
            left -= samples.size
            progress.update(task, completed=count - left)
            yield samples
