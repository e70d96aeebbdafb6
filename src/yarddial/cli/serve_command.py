"""`yard-dial serve`: receivers of this computer for paired ones; `yard-dial pair`: get to know a serving one."""

import asyncio
import contextlib
import platform
import shutil
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.output import say
from yarddial.cli.program import Doors
from yarddial.records.whole_file import write_whole
from yarddial.yard.errors import DeviceBusy, NotWritten
from yarddial.yard.plain_text import shown

if TYPE_CHECKING:
    from yarddial.distance.announcement import Announcement
    from yarddial.distance.identity import Identity

UNIT = """[Unit]
Description=Yard Dial: receivers for paired computers

[Service]
ExecStart={program} serve --listen {place}
Restart=on-failure
UMask=0077
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=read-only
ReadWritePaths=-%h/.local/share/yard-dial -%h/.local/state/yard-dial -%h/.config/yard-dial
PrivateTmp=yes
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes
ProtectControlGroups=yes
ProtectClock=yes
ProtectHostname=yes
ProtectProc=invisible
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX AF_NETLINK
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
LockPersonality=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service
CapabilityBoundingSet=
KeyringMode=private

[Install]
WantedBy=default.target
"""


@click.command()
@click.option(
    "--listen", default="127.0.0.1", metavar="HOST[:PORT]", show_default=True,
    help="Where to listen: 0.0.0.0 for the whole network.",
)  # fmt: skip
@click.option(
    "--pair", "role", type=click.Choice(["listen", "control"]), is_flag=False, flag_value="control",
    help="Show a code for one more computer, and what it may.",
)  # fmt: skip
@click.option(
    "--announce", is_flag=True, help="Announce this computer in the local network, so that nobody types its address."
)
@click.option("--list", "lists", is_flag=True, help="The computers that may come.")
@click.option("--revoke", "revoked", default="", metavar="NAME", help="One of them may not come any more.")
@click.option("--install", is_flag=True, help="Write a user service for systemd that serves from now on.")
@json_option
@click.pass_obj
def command(
    doors: Doors,
    listen: str,
    role: str | None,
    announce: bool,
    lists: bool,
    revoked: str,
    install: bool,
    as_json: bool,
) -> None:
    """Serve this computer's receivers to paired computers, over TLS 1.3 alone."""
    from yarddial.distance.address import host_and_port

    host, port = host_and_port(listen, to_listen=True)
    if announce and _is_alone(host):
        raise click.UsageError("--announce needs a place that others reach: add --listen 0.0.0.0")
    identity = doors.serving_identity()
    if lists:
        computers = identity.paired()
        text = "\n".join(
            f"{computer.name}  {computer.mark}  {computer.role}  since {computer.paired_utc}" for computer in computers
        )
        paired = [
            {
                "name": computer.name,
                "mark": computer.mark,
                "role": computer.role,
                "paired_utc": computer.paired_utc,
            }
            for computer in computers
        ]
        answer(as_json, {"computers": paired}, text or "nobody may come yet: 'yard-dial serve --pair' shows a code")
        return
    if revoked:
        done = identity.revoke(revoked)
        message = f"{revoked} may not come any more" if done else f"nobody called {revoked} may come"
        answer(as_json, {"revoked": done}, message)
        return
    if install:
        path = _installed(listen)
        message = f"{path} is written; begin it with: systemctl --user enable --now yard-dial-serve"
        answer(as_json, {"file": str(path)}, message)
        return
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(_serve(doors, identity, (host, port), role, announce=announce, as_json=as_json))


def _is_alone(host: str) -> bool:
    return host.startswith("127.") or host in ("localhost", "::1")


async def _serve(
    doors: Doors, identity: "Identity", wanted: tuple[str, int], role: str | None, *, announce: bool, as_json: bool
) -> None:
    from yarddial.distance.identity import mark_of
    from yarddial.distance.pairing_code import fingerprint_of

    host, port = wanted
    server = doors.distance_server(identity, platform.node() or "far computer")
    try:
        door = await server.door.listen(host, port)
    except OSError as error:
        raise DeviceBusy(f"cannot listen at {host}:{port}: {error.strerror or error}; choose another") from error
    port = door.sockets[0].getsockname()[1]
    asyncio.get_running_loop().add_signal_handler(signal.SIGTERM, asyncio.current_task().cancel)  # type: ignore[union-attr]
    place = f"[{host}]:{port}" if ":" in host else f"{host}:{port}"
    fingerprint = fingerprint_of(identity.certificate)
    ready: dict[str, Any] = {"address": place, "fingerprint": fingerprint, "announced": announce}
    where = "this computer alone" if _is_alone(host) else "the network"
    text = f"serving at {place}, reached from {where}; Ctrl+C ends it"
    if role is not None:
        ready["code"] = code = server.door.offer_pairing("listen" if role == "listen" else "control")
        may = "may control the receivers" if role == "control" else "may listen, and control nothing"
        text += (
            f"\npair within ten minutes, on the near computer: yard-dial pair THIS-COMPUTER:{port} {code}"
            f"\nwhoever uses the code {may}"
        )
    elif not identity.paired():
        text += "\nnobody may come yet: 'yard-dial serve --pair' shows a code for one computer"
    announcement = None
    if announce:
        name = platform.node() or "far computer"
        announcement = await asyncio.to_thread(_announced, name, host, port, fingerprint)
        text += f"\nannounced in the local network as {name}, {mark_of(fingerprint)}: compare the digits when pairing"
    answer(as_json, ready, text)
    sys.stdout.flush()
    if not as_json:
        server.door.on_paired = lambda who: say(
            f"{shown(who.name)} ({who.mark}) is paired and may {who.role}; 'yard-dial serve --revoke' takes it back"
        )
    try:
        async with door:
            with contextlib.suppress(asyncio.CancelledError):
                await server.serve()
    finally:
        if announcement is not None:
            announcement.close()


def _announced(name: str, host: str, port: int, fingerprint: str) -> "Announcement":
    from yarddial.distance.announcement import Announcement

    return Announcement(name, port, fingerprint, () if host in ("0.0.0.0", "::") else (host,))


def _installed(listen: str) -> Path:
    folder = Path.home() / ".config/systemd/user"
    path = folder / "yard-dial-serve.service"
    program = shutil.which("yard-dial") or f"{sys.executable} -m yarddial"
    if path.is_symlink() or folder.is_symlink():
        raise NotWritten(f"{path} is a link, or lies behind one: remove it, and install again")
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise NotWritten(f"cannot make {folder}: {error.strerror}; check its permissions") from error
    write_whole(path, UNIT.format(program=program, place=listen).encode())
    return path
