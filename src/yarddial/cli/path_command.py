"""`yard-dial path FREQ`."""

import click

from yarddial.cli.options import FREQUENCY, MINUS_ALLOWED, PPM, answer, json_option, through_option
from yarddial.yard.frequency import format_frequency, format_hertz
from yarddial.yard.frequency_conversion import SamplingClock, Stage, Trace, trace


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("antenna_hz", metavar="FREQ", type=FREQUENCY)
@through_option
@click.option("--receiver-ppm", type=PPM, default=0.0, help="True crystal error, positive when it runs fast.")
@click.option("--entered-ppm", type=PPM, default=0.0, help="Correction typed in, positive for a fast crystal.")
@click.option("--working", is_flag=True, help="Show the working.")
@json_option
def command(
    antenna_hz: float, stages: tuple[Stage, ...], receiver_ppm: float, entered_ppm: float, working: bool, as_json: bool
) -> None:
    """Print the frequency at every point of the path and the dial's error."""
    traced = trace(antenna_hz, stages, SamplingClock(receiver_ppm, entered_ppm))
    values = {
        "antenna_hz": traced.antenna_hz,
        "stages": [
            {"kind": stage.kind, "lo_hz": stage.lo_hz, "out_hz": out_hz}
            for stage, out_hz in zip(stages, traced.out_hz, strict=True)
        ],
        "port_hz": traced.port_hz,
        "shown_hz": traced.shown_hz,
        "dial_hz": traced.dial_hz,
        "dial_error_hz": traced.dial_error_hz,
        "sense": traced.sense,
        "notes": _notes(traced),
    }
    answer(as_json, values, traced.working().as_text() if working else _sentence(traced))


def _notes(traced: Trace) -> list[str]:
    return [
        f"after {stage.name} the frequency is {format_frequency(out_hz)}, which no real path carries: "
        "another kind of converter fits this input"
        for stage, out_hz in zip(traced.stages, traced.out_hz, strict=True)
        if out_hz < 0
    ]


def _sentence(traced: Trace) -> str:
    points = [format_frequency(traced.antenna_hz)]
    points += [
        f"{stage.name} → {format_frequency(out)}" for stage, out in zip(traced.stages, traced.out_hz, strict=True)
    ]
    inverted = ", spectrum inverted" if traced.sense < 0 else ""
    lines = [
        " → ".join(points) + f" at the receiver{inverted}",
        f"the dial reads {format_frequency(traced.dial_hz)}: {format_hertz(traced.dial_error_hz, 0.1)} off",
    ]
    return "\n".join(lines + _notes(traced))
