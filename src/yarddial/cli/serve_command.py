"""`yard-dial serve`: receivers of this computer for paired ones; `yard-dial pair`: get to know a serving one."""

import asyncio
import contextlib
import platform
import shutil
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yarddial.cli.program import Doors
from yarddial.yard.errors import NotWritten

if TYPE_CHECKING:
    from yarddial.distance.identity import Identity

UNIT = """[Unit]
Description=Yard Dial: receivers for paired computers

[Service]
ExecStart={program} serve --host {host} --port {port}
Restart=on-failure

[Install]
WantedBy=default.target
"""


@click.command()
@click.option("--host", default="127.0.0.1", help="Where to listen: 0.0.0.0 for the whole network.", show_default=True)
@click.option("--port", default=47_110, type=click.IntRange(1, 65_535), show_default=True)
@click.option("--pair", "role", type=click.Choice(["listen", "control"]), help="Show a code for one more computer.")
@click.option("--list", "lists", is_flag=True, help="The computers that may come.")
@click.option("--revoke", "revoked", default="", metavar="NAME", help="One of them may not come any more.")
@click.option("--install", is_flag=True, help="Write a user service for systemd that serves from now on.")
@click.pass_obj
def command(doors: Doors, host: str, port: int, role: str | None, lists: bool, revoked: str, install: bool) -> None:
    """Serve this computer's receivers to paired computers, over TLS 1.3 alone."""
    identity = doors.serving_identity()
    if lists:
        for one in identity.paired():
            click.echo(f"{one.name}  {one.role}  since {one.paired_utc}")
        return
    if revoked:
        done = identity.revoke(revoked)
        click.echo(f"{revoked} may not come any more" if done else f"nobody called {revoked} may come")
        return
    if install:
        click.echo(_installed(host, port))
        return
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(_serve(doors, identity, host, port, role))


async def _serve(doors: Doors, identity: "Identity", host: str, port: int, role: str | None) -> None:
    server = doors.distance_server(identity, platform.node() or "far computer")
    try:
        door = await server.listen(host, port)
    except OSError as error:
        raise click.ClickException(f"cannot listen at {host}:{port}: {error.strerror or error}") from error
    where = "this computer alone" if host.startswith("127.") or host == "localhost" else "the network"
    click.echo(f"serving at {host}:{port}, reached from {where}; Ctrl+C ends it")
    if role is not None or not identity.paired():
        code = server.offer_pairing("listen" if role == "listen" else "control")
        click.echo(f"pair within ten minutes, on the near computer: yard-dial pair THIS-COMPUTER:{port} {code}")
    server.on_paired = lambda name: click.echo(f"{name} is paired; 'yard-dial serve --revoke' takes it back")
    async with door:
        await server.serve()


def _installed(host: str, port: int) -> str:
    folder = Path.home() / ".config/systemd/user"
    path = folder / "yard-dial-serve.service"
    program = shutil.which("yard-dial") or f"{sys.executable} -m yarddial"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path.write_text(UNIT.format(program=program, host=host, port=port), encoding="utf-8")
    except OSError as error:
        raise NotWritten(f"cannot write {path}: {error.strerror}") from error
    return f"{path} is written; begin it with: systemctl --user enable --now yard-dial-serve"
