"""`yard-dial compare FIRST SECOND`."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from yarddial.cli.options import FREQUENCY, MINUS_ALLOWED, answer, json_option, positive
from yarddial.yard.frequency import MINUS, format_frequency
from yarddial.yard.plain_text import count_of

if TYPE_CHECKING:
    # Imported when the command runs.
    from yarddial.analysis.comparison.difference import Difference


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("first", type=click.Path(path_type=Path))
@click.argument("second", type=click.Path(path_type=Path))
@click.option("--near", "near_hz", type=FREQUENCY, required=True, help="The signal, on the dial.")
@click.option("--width", "width_hz", type=FREQUENCY, default="3k", callback=positive, help="Of its channel.")
@json_option
def command(first: Path, second: Path, near_hz: float, width_hz: float, as_json: bool) -> None:
    """Two recordings of the same time and signal: by how many dB the second hears it better."""
    from yarddial.session.listening.recordings_comparison import compare_recordings

    result = compare_recordings(first, second, near_hz, width_hz)
    count, compared = result.pieces, result.compared
    differences = {"signal": compared.signal, "noise": compared.noise, "signal_to_noise": compared.over}
    over = compared.over
    values: dict[str, Any] = {"frequency_hz": near_hz, "pieces": count, "verdict": over.verdict}
    nothing = over.verdict == "no signal"
    values |= {
        "difference_db": None if nothing else over.db,
        "low_db": None if nothing else over.low_db,
        "high_db": None if nothing else over.high_db,
    }
    for name, each in differences.items():
        values[name] = {"db": each.db, "low_db": each.low_db, "high_db": each.high_db}
    if nothing:
        answer(as_json, values, f"no signal at {format_frequency(near_hz)}: nothing stands out of the noise in either")
        return
    lines = [f"{name.replace('_', ' ')}: {_said(each)}" for name, each in differences.items()]
    answer(
        as_json,
        values,
        "\n".join([f"second against first, in {count_of(count, 'piece')}; ranges hold 19 times in 20", *lines]),
    )


def _said(compared: "Difference") -> str:
    return f"{compared.db:+.1f} dB ({compared.low_db:+.1f} to {compared.high_db:+.1f})".replace("-", MINUS)
