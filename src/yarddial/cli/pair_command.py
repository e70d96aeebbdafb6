"""`yard-dial pair HOST[:PORT] CODE`: get to know a computer that serves receivers."""

import asyncio
import platform

import click

from yarddial.cli.output import say
from yarddial.cli.program import Doors


@click.command()
@click.argument("host")
@click.argument("code")
@click.option("--name", default="", help="What to call it here; its own name by default.")
@click.pass_obj
def command(doors: Doors, host: str, code: str, name: str) -> None:
    """Pair with a computer on which 'yard-dial serve --pair' shows a code."""
    from yarddial.distance.address import host_and_port
    from yarddial.distance.knocking import pair_with

    place, port = host_and_port(host)
    known = asyncio.run(pair_with(place, port, code, platform.node() or "near computer", name))
    doors.known_computers().add(known)
    say(f"paired with {known.name}; its receivers are among those of 'yard-dial devices' and of the window")
