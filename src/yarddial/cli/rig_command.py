"""`yard-dial rig ADDRESS`: what a transceiver is tuned to, and where to tune it."""

import re

import click

from yarddial.cli.options import FREQUENCY, answer, json_option
from yarddial.drivers.rig.protocol import RigState
from yarddial.yard.errors import DeviceNotFound
from yarddial.yard.frequency import format_bound, format_frequency

_ADDRESS = re.compile(r"(?:rig:)?tcp://(?P<host>[\w.-]+|\[[0-9a-fA-F:]+\]):(?P<port>\d{1,5})")


@click.command()
@click.argument("address")
@click.option("--set-frequency", "frequency_hz", type=FREQUENCY, help="Tune it there.")
@click.option("--set-mode", "mode", default="", help="Another mode, in the transceiver's words, such as USB.")
@json_option
def command(address: str, frequency_hz: float | None, mode: str, as_json: bool) -> None:
    """Read a transceiver behind the control daemon, rig:tcp://HOST:PORT; it is never made to transmit."""
    from yarddial.drivers.rig.daemon_link import DaemonLink

    host, port = _host_and_port(address)
    link = DaemonLink(host, port)
    try:
        if frequency_hz is not None:
            link.set_frequency(frequency_hz)
        if mode:
            link.set_mode(mode)
        state = link.read()
    finally:
        link.close()
    values = {
        "frequency_hz": state.frequency_hz, "mode": state.mode, "passband_hz": state.passband_hz,
        "transmitting": state.transmitting, "transmit_hz": state.transmit_hz,
    }  # fmt: skip
    answer(as_json, values, _said(state))


def _host_and_port(address: str) -> tuple[str, int]:
    found = _ADDRESS.fullmatch(address)
    if found is None or not 0 < int(found["port"]) < 65_536:
        raise DeviceNotFound(f"'{address}' is no transceiver's address: write it like rig:tcp://127.0.0.1:4532")
    return found["host"].strip("[]"), int(found["port"])


def _said(state: RigState) -> str:
    parts = [format_frequency(state.frequency_hz), state.mode]
    if state.passband_hz is not None:
        parts.append(f"{format_bound(state.passband_hz)} wide")
    told = {True: "transmits", False: "receives", None: "does not tell whether it transmits"}[state.transmitting]
    if state.transmit_hz is not None:
        told += f"; split, would transmit on {format_frequency(state.transmit_hz)}"
    return ", ".join(filter(None, parts)) + f"; {told}"
