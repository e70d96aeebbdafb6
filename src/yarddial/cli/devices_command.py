"""`yard-dial devices`."""

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.program import Doors


@click.command()
@json_option
@click.pass_obj
def command(doors: Doors, as_json: bool) -> None:
    """Print every receiver that a driver finds, what stands in its way, and drivers that cannot be loaded."""
    from yarddial.drivers.discovery import find_receivers

    registry = doors.registry()
    listing = find_receivers(registry.drivers(), registry.troubles)
    lines: list[str] = []
    devices: list[dict[str, object]] = []
    for driver, found in listing.receivers:
        address = f"{driver}:{found.address}"
        lines.append("  ".join(filter(None, (address, found.name, "" if found.state == "ready" else found.state))))
        lines += [f"    {line}" for line in (found.why, found.cure) if line]
        devices.append(
            {
                "address": address, "driver": driver, "name": found.name, "bus": found.bus,
                "speed_mbps": found.speed_mbps, "state": found.state, "why": found.why, "cure": found.cure,
            }
        )  # fmt: skip
    lines += listing.troubles.values()
    answer(as_json, {"devices": devices, "troubles": listing.troubles}, "\n".join(lines) or "No receiver was found.")
