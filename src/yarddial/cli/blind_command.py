"""`yard-dial blind FILE`."""

from pathlib import Path
from typing import Any

import click

from yarddial.cli.options import (
    FREQUENCY,
    MINUS_ALLOWED,
    PPM,
    answer,
    json_option,
    positive,
    recording_options,
    through_option,
)
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency, format_hertz, format_sigma
from yarddial.yard.frequency_conversion import Stage


@click.command(context_settings=MINUS_ALLOWED)
@recording_options
@click.option("--raster", "rasters_hz", type=FREQUENCY, multiple=True, help="Spacing; tried by default.")
@click.option(
    "--stated", "stated_hz", type=FREQUENCY, multiple=True, help="Another oscillator the box may have; repeat."
)
@click.option("--prior-ppm", type=PPM, default=60.0, callback=positive, help="The crystal lies within this.")
@click.option(
    "--lo-sigma",
    "lo_sigma_hz",
    type=FREQUENCY,
    callback=positive,
    help="Uncertainty of the oscillators; by their class.",
)
@click.option("--upright", "is_upright", is_flag=True, help="Single sideband was heard right way up: not turned over.")
@through_option
@json_option
def command(
    file: Path,
    sample_format: str,
    rate_hz: float | None,
    centre_hz: float | None,
    rasters_hz: tuple[float, ...],
    stated_hz: tuple[float, ...],
    prior_ppm: float,
    lo_sigma_hz: float | None,
    is_upright: bool,
    stages: tuple[Stage, ...],
    as_json: bool,
) -> None:
    """Print the dial's error by the raster that the stations of a band keep."""
    from yarddial.records.recordings import open_recording
    from yarddial.session.calibration.blind_recording import blind_in_recording

    if any(raster <= 0 for raster in rasters_hz):
        raise BadObservations("a raster needs a spacing above 0 Hz")
    recording = open_recording(file, sample_format, rate_hz, centre_hz)
    blind_answer = blind_in_recording(
        recording, stages, rasters_hz, stated_hz, prior_ppm, lo_sigma_hz, is_upright=is_upright
    )
    best = blind_answer.hypotheses[0]
    values: dict[str, Any] = {
        "offset_hz": best.offset_hz,
        "sigma_hz": best.sigma_hz,
        "raster_hz": best.raster_hz,
        "inverted": best.inverted,
        "way": best.lo,
        "crystal_fast_ppm": best.ppm,
        "crystal_sigma_ppm": best.ppm_sigma,
        "carriers": blind_answer.carriers,
        "on_raster": blind_answer.on_raster,
        "hypotheses": [
            {"offset_hz": h.offset_hz, "sigma_hz": h.sigma_hz, "odds": h.odds, "raster_hz": h.raster_hz,
             "inverted": h.inverted, "way": h.lo}
            for h in blind_answer.hypotheses
        ],
        "decided": blind_answer.decided,
        "decides": blind_answer.decides,
        "likely": blind_answer.is_likely,
        "assumed": list(blind_answer.assumed),
    }  # fmt: skip
    side = f"{format_hertz(best.offset_hz, best.sigma_hz)} {format_sigma(best.sigma_hz)}"
    sentence = (
        f"{blind_answer.on_raster} of {blind_answer.carriers} carriers keep a raster of {best.raster_hz / 1e3:g} kHz: "
        f"the dial reads {side} at {format_frequency(recording.centre_hz)}"
    )
    if not best.raster_hz:
        sentence = f"no raster here ({best.odds:.0%}): {blind_answer.decides}"
    elif blind_answer.is_likely and blind_answer.assumed:
        sentence += f"\nlikely ({best.odds:.0%}), not decided: {blind_answer.decides}"
    elif not blind_answer.decided and len(blind_answer.hypotheses) > 1:
        other = blind_answer.hypotheses[1]
        sentence += (
            f"\nnot decided: {best.odds:.0%} for this, {other.odds:.0%} for "
            f"{format_hertz(other.offset_hz, other.sigma_hz)}; {blind_answer.decides}"
        )
    answer(as_json, values, sentence)
