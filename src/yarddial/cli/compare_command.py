"""`yard-dial compare FIRST SECOND`."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from yarddial.cli.options import FREQUENCY, MINUS_ALLOWED, answer, json_option, positive
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import MINUS, format_frequency
from yarddial.yard.plain_text import count_of

if TYPE_CHECKING:
    # Imported when the command runs.
    from yarddial.analysis.comparison.difference import Difference
    from yarddial.records.recordings import Recording

# Both are measured in pieces of this length.
PIECE_S = 0.25


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("first", type=click.Path(path_type=Path))
@click.argument("second", type=click.Path(path_type=Path))
@click.option("--near", "near_hz", type=FREQUENCY, required=True, help="The signal, on the dial.")
@click.option("--width", "width_hz", type=FREQUENCY, default="3k", callback=positive, help="Of its channel.")
@json_option
def command(first: Path, second: Path, near_hz: float, width_hz: float, as_json: bool) -> None:
    """Two recordings of the same time and signal: by how many dB the second hears it better."""
    from yarddial.analysis.comparison.difference import difference
    from yarddial.records.recordings import open_recording

    powers = [_powers(open_recording(path), path.name, near_hz, width_hz) for path in (first, second)]
    count = min(len(power) for power in powers)
    (signal_1, noise_1), (signal_2, noise_2) = (zip(*power[:count], strict=True) for power in powers)
    # A power over B hertz and T seconds has a relative sigma of 1 / sqrt(B T).
    relative = 1 / (width_hz * PIECE_S) ** 0.5
    scatter = ([relative * n for n in noise_1], [relative * n for n in noise_2])
    differences = {
        "signal": difference(signal_1, signal_2, scatter),
        "noise": difference(noise_1, noise_2),
        "signal_to_noise": difference(
            [s / n for s, n in zip(signal_1, noise_1, strict=True)],
            [s / n for s, n in zip(signal_2, noise_2, strict=True)],
            ([relative] * count, [relative] * count),
        ),
    }
    over = differences["signal_to_noise"]
    values: dict[str, Any] = {"frequency_hz": near_hz, "pieces": count, "verdict": over.verdict}
    nothing = over.verdict == "no signal"
    values |= {
        "difference_db": None if nothing else over.db,
        "low_db": None if nothing else over.low_db,
        "high_db": None if nothing else over.high_db,
    }
    for name, compared in differences.items():
        values[name] = {"db": compared.db, "low_db": compared.low_db, "high_db": compared.high_db}
    if nothing:
        answer(as_json, values, f"no signal at {format_frequency(near_hz)}: nothing stands out of the noise in either")
        return
    lines = [f"{name.replace('_', ' ')}: {_said(compared)}" for name, compared in differences.items()]
    answer(
        as_json,
        values,
        "\n".join([f"second against first, in {count_of(count, 'piece')}; ranges hold 19 times in 20", *lines]),
    )


def _powers(recording: "Recording", name: str, near_hz: float, width_hz: float) -> list[tuple[float, float]]:
    """Signal and noise in the channel for each piece, linear."""
    from yarddial.engine.taps.gain_sweep import measure

    offset_hz = near_hz - recording.centre_hz
    if abs(offset_hz) > recording.rate_hz / 2:
        raise BadFrequency(f"{format_frequency(near_hz)} is not in {name}: its centre is {recording.centre_hz:.0f} Hz")
    size = max(int(PIECE_S * recording.rate_hz), 4096)
    powers = []
    for begin in range(0, recording.count - size + 1, size):
        power = measure(recording.read(begin, size), recording.rate_hz, offset_hz, width_hz)
        noise = 10 ** (power.floor_dbfs_hz / 10) * power.width_hz
        powers.append((10 ** (power.channel_dbfs / 10) - noise, noise))
    return powers


def _said(compared: "Difference") -> str:
    return f"{compared.db:+.1f} dB ({compared.low_db:+.1f} to {compared.high_db:+.1f})".replace("-", MINUS)
