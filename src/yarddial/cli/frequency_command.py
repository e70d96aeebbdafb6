"""`yard-dial frequency TEXT`."""

import click

from yarddial.cli.options import MINUS_ALLOWED, answer, json_option
from yarddial.yard.frequency import format_frequency, parse_frequency


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("text")
@click.option("--field-unit", default="Hz", help="Unit of a number that carries none: Hz, kHz, MHz or GHz.")
@json_option
def command(text: str, field_unit: str, as_json: bool) -> None:
    """Print hertz and the canonical writing."""
    hertz = parse_frequency(text, field_unit)
    written = format_frequency(hertz)
    answer(as_json, {"hz": hertz, "text": written}, f"{written}  ({hertz:.3f} Hz)")
