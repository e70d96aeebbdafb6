"""`yard-dial tones`."""

from pathlib import Path
from typing import Any

import click

from yarddial.analysis.tones.dial_error import ToneReception
from yarddial.cli.options import FREQUENCY, answer, json_option
from yarddial.yard.frequency import format_hertz, format_sigma


@click.command()
@click.option("--am", "am", type=click.Path(path_type=Path), help="The station heard as AM.")
@click.option("--usb", "usb", type=click.Path(path_type=Path), help="Heard on the upper sideband, the dial unmoved.")
@click.option("--lsb", "lsb", type=click.Path(path_type=Path), help="Heard on the lower sideband, the dial unmoved.")
@click.option("--near", "near_hz", type=FREQUENCY, required=True, help="The tone that the station sends.")
@json_option
def command(am: Path | None, usb: Path | None, lsb: Path | None, near_hz: float, as_json: bool) -> None:
    """Print the dial's error by a tone heard in two or three ways."""
    from yarddial.session.calibration.other_methods import tone_in_files

    files: dict[ToneReception, Path] = {}
    for mode, path in (("am", am), ("usb", usb), ("lsb", lsb)):
        if path is not None:
            files[mode] = path  # type: ignore[index]
    tone_answer = tone_in_files(files, near_hz)
    values: dict[str, Any] = {
        "dial_error_hz": tone_answer.dial_error_hz,
        "sigma_hz": tone_answer.sigma_hz,
        "tone_hz": tone_answer.tone_hz,
        "tone_sigma_hz": tone_answer.tone_sigma_hz,
        "heard": {mode: {"hz": hertz, "sigma_hz": sigma} for mode, hertz, sigma in tone_answer.heard},
    }
    side = "high" if tone_answer.dial_error_hz > 0 else "low"
    sentence = (
        f"the dial reads {format_hertz(abs(tone_answer.dial_error_hz), tone_answer.sigma_hz, signed=False)} {side} "
        f"{format_sigma(tone_answer.sigma_hz)}; the tone is {tone_answer.tone_hz:.2f} Hz"
    )
    answer(as_json, values, sentence)
