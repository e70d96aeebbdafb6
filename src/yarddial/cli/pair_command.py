"""`yard-dial pair HOST[:PORT] CODE`: get to know a computer that serves receivers."""

import asyncio
import platform

import click

from yarddial.cli.program import Doors
from yarddial.yard.errors import DeviceNotFound


@click.command()
@click.argument("host")
@click.argument("code")
@click.option("--name", default="", help="What to call it here; its own name by default.")
@click.pass_obj
def command(doors: Doors, host: str, code: str, name: str) -> None:
    """Pair with a computer on which 'yard-dial serve --pair' shows a code."""
    from yarddial.distance.knocking import pair_with
    from yarddial.distance.server import PORT

    place, _, port = host.rpartition(":") if ":" in host else (host, "", str(PORT))
    if not port.isdigit() or not 0 < int(port) < 65_536:
        raise DeviceNotFound(
            f"'{host}' is no place to pair with: write a name or address, and a port where it is another"
        )
    known = asyncio.run(pair_with(place, int(port), code, platform.node() or "near computer", name))
    doors.known_computers().add(known)
    click.echo(
        f"paired with {known.name}; its receivers are in 'yard-dial devices' and in the window's list of receivers"
    )
