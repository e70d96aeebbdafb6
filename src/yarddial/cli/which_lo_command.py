"""`yard-dial which-lo --kind sum --station 10M --shown 129.9969M --stated 120M --stated 125M`, or `--leak FILE`."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from yarddial.cli.options import FREQUENCY, MINUS_ALLOWED, PPM, answer, json_option, positive
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency_conversion import KINDS, ConverterKind

if TYPE_CHECKING:
    from yarddial.analysis.correction.lo_leak import LeakAnswer
    from yarddial.analysis.correction.which_lo import LoAnswer


@click.command(context_settings=MINUS_ALLOWED)
@click.option("--kind", type=click.Choice(KINDS), default="sum", help="What the converter does.")
@click.option("--station", "reference_hz", type=FREQUENCY, help="A known station's true frequency.")
@click.option("--shown", "shown_hz", type=FREQUENCY, help="Where the receiver itself showed it.")
@click.option("--leak", "recording", type=click.Path(path_type=Path), help="Look for the LO's own leak in a recording.")
@click.option(
    "--stated", "stated_hz", type=FREQUENCY, multiple=True, required=True, help="What a leaflet says; repeat."
)
@click.option("--crystal-ppm", type=PPM, default=0.0, help="The crystal, positive when fast.")
@click.option("--crystal-sigma-ppm", type=PPM, default=25.0, callback=positive, help="How well that is known.")
@click.option("--sigma", "sigma_hz", type=FREQUENCY, default=100.0, callback=positive, help="How well it was read.")
@click.option("--antenna-off", is_flag=True, help="The recording for --leak was made with the antenna taken off.")
@click.option("--working", is_flag=True, help="Show the working.")
@json_option
def command(
    kind: ConverterKind,
    reference_hz: float | None,
    shown_hz: float | None,
    recording: Path | None,
    stated_hz: tuple[float, ...],
    crystal_ppm: float,
    crystal_sigma_ppm: float,
    sigma_hz: float,
    antenna_off: bool,
    working: bool,
    as_json: bool,
) -> None:
    """Print the oscillator with its uncertainty, and which stated value it fits."""
    from yarddial.analysis.correction.which_lo import which_lo

    if recording is not None:
        from yarddial.session.calibration.lo_leak_recording import leak_in_recording

        lo_answer: LoAnswer | LeakAnswer = leak_in_recording(
            recording, stated_hz, crystal_ppm, crystal_sigma_ppm, antenna_off=antenna_off
        )
    elif reference_hz is None or shown_hz is None:
        raise BadObservations("give --station and --shown, or a recording with --leak")
    else:
        lo_answer = which_lo(kind, reference_hz, shown_hz, stated_hz, crystal_ppm, crystal_sigma_ppm, sigma_hz)
    values = {
        "lo_hz": lo_answer.lo_hz,
        "sigma_hz": lo_answer.sigma_hz,
        "candidates": [
            {"stated_hz": c.stated_hz or None, "apart_hz": c.apart_hz, "odds": c.odds} for c in lo_answer.candidates
        ],
        "decided": lo_answer.decided,
    }
    answer(as_json, values, lo_answer.working().as_text() if working else lo_answer.sentence())
