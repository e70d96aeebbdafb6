"""`yard-dial devices`."""

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.program import Doors


@click.command()
@json_option
@click.pass_obj
def command(doors: Doors, as_json: bool) -> None:
    """Print every receiver that a driver finds, and drivers that cannot be loaded."""
    from yarddial.yard.errors import YardDialError

    registry = doors.registry()
    devices: list[dict[str, str]] = []
    troubles = dict(registry.troubles)
    for driver in registry.drivers():
        try:
            devices += [{"address": f"{driver.name}:{found}", "driver": driver.name} for found in driver.discover()]
        except YardDialError as error:
            troubles[driver.name] = str(error)
    lines = [device["address"] for device in devices] + list(troubles.values())
    answer(as_json, {"devices": devices, "troubles": troubles}, "\n".join(lines) or "No receiver was found.")
