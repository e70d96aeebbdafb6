"""`yard-dial level TEXT`."""

from typing import Literal

import click

from yarddial.cli.options import MINUS_ALLOWED, answer, json_option


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("text", nargs=-1, required=True)
@click.option("--band", type=click.Choice(["hf", "vhf"]), default="hf", show_default=True, help="S-meter's scale.")
@click.option("--ohms", type=float, default=50.0, show_default=True, help="Impedance of the socket.")
@json_option
def command(text: tuple[str, ...], band: Literal["hf", "vhf"], ohms: float, as_json: bool) -> None:
    """Read a level and print it in all units."""
    from yarddial.yard.level import parse_level

    level = parse_level(" ".join(text), band, ohms)
    values = {
        "dbm": level.dbm,
        "uv": level.uv,
        "emf_uv": level.emf_uv,
        "dbuv": level.dbuv,
        "s_meter": level.s_meter,
    }
    volts = f"{level.uv:.4g} uV at the socket ({level.emf_uv:.4g} uV EMF) = {level.dbuv:.2f} dBuV"
    answer(as_json, values, f"{level.dbm:.2f} dBm = {volts} = {level.s_meter}")
