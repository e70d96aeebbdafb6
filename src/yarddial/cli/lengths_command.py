"""`yard-dial lengths FREQ`."""

import click

from yarddial.cli.options import FREQUENCY, answer, json_option
from yarddial.yard.antenna_lengths import END_FACTOR, antenna_lengths


@click.command()
@click.argument("frequency", type=FREQUENCY)
@click.option("--velocity-factor", type=float, default=1.0, help="1 for bare wire, 0.95 to 0.98 insulated.")
@click.option("--end-factor", type=float, default=END_FACTOR, help="Shortening at the ends.")
@json_option
def command(frequency: float, velocity_factor: float, end_factor: float, as_json: bool) -> None:
    """Print the arms of a half-wave dipole and a quarter-wave whip, with the working."""
    lengths = antenna_lengths(frequency, velocity_factor, end_factor)
    values = {"dipole_arm_m": lengths.dipole_arm_m, "whip_m": lengths.whip_m}
    answer(as_json, values, lengths.working().as_text())
