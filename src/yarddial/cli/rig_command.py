"""`yard-dial rig ADDRESS`: what a transceiver is tuned to, and where to tune it."""

import click

from yarddial.cli.options import FREQUENCY, answer, json_option
from yarddial.drivers.rig.protocol import RigState
from yarddial.yard.frequency import format_bound, format_frequency


@click.command()
@click.argument("address")
@click.option("--set-frequency", "frequency_hz", type=FREQUENCY, help="Tune it there.")
@click.option("--set-mode", "mode", default="", help="Another mode, in the transceiver's words, such as USB.")
@json_option
def command(address: str, frequency_hz: float | None, mode: str, as_json: bool) -> None:
    """Read a transceiver, rig:tcp://HOST:PORT or TABLE.json@/dev/LINE; it is never made to transmit."""
    from yarddial.drivers.rig.opening import open_rig
    from yarddial.drivers.rig.protocol import ReadRig, RigSilent, SetRigFrequency, SetRigMode, ask

    link = open_rig(address)
    try:
        if frequency_hz is not None:
            ask(link, SetRigFrequency(frequency_hz))
        if mode:
            ask(link, SetRigMode(mode))
        state = ask(link, ReadRig())
        if state is None:
            raise RigSilent("the transceiver says nothing of itself")
    finally:
        link.close()
    values = {
        "frequency_hz": state.frequency_hz, "mode": state.mode, "passband_hz": state.passband_hz,
        "transmitting": state.transmitting, "transmit_hz": state.transmit_hz,
    }  # fmt: skip
    answer(as_json, values, _said(state))


def _said(state: RigState) -> str:
    parts = [format_frequency(state.frequency_hz), state.mode]
    if state.passband_hz is not None:
        parts.append(f"{format_bound(state.passband_hz)} wide")
    transmit_words = {True: "transmits", False: "receives", None: "does not tell whether it transmits"}[
        state.transmitting
    ]
    if state.transmit_hz is not None:
        transmit_words += f"; split, would transmit on {format_frequency(state.transmit_hz)}"
    return ", ".join(filter(None, parts)) + f"; {transmit_words}"
