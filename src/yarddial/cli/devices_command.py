"""`yard-dial devices`."""

from pathlib import Path

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.program import Doors


@click.command()
@click.option(
    "--root",
    type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="Look below this folder.",
)
@json_option
@click.pass_obj
def command(doors: Doors, as_json: bool, root: Path | None) -> None:
    """Print every receiver found, what prevents its use, and drivers that cannot be loaded."""
    from yarddial.drivers.discovery import find_receivers
    from yarddial.drivers.kernel.driver import KernelDriver

    if root is None:
        registry = doors.registry()
        listing = find_receivers(registry.drivers(), registry.troubles, Path("/"))
    else:
        listing = find_receivers([KernelDriver(root)], {}, root)
    lines: list[str] = []
    devices: list[dict[str, object]] = []
    for driver, receiver in listing.receivers:
        address = f"{driver}:{receiver.address}"
        lines.append(
            "  ".join(filter(None, (address, receiver.name, "" if receiver.state == "ready" else receiver.state)))
        )
        lines += [f"    {line}" for line in (receiver.why, receiver.cure) if line]
        devices.append(
            {
                "address": address, "driver": driver, "name": receiver.name, "bus": receiver.bus,
                "speed_mbps": receiver.speed_mbps, "state": receiver.state, "why": receiver.why, "cure": receiver.cure,
                "usb_id": receiver.usb_id, "speed_mbit": receiver.speed_mbps, "held_by": receiver.held_by,
                "module": receiver.module,
            }
        )  # fmt: skip
    lines += listing.troubles.values()
    answer(as_json, {"devices": devices, "troubles": listing.troubles}, "\n".join(lines) or "No receiver was found.")
