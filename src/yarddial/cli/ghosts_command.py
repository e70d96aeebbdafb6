"""`yard-dial ghosts FILE.csv`."""

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from yarddial.cli.options import FREQUENCY, MINUS_ALLOWED, answer, json_option, positive, through_option
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import Stage

if TYPE_CHECKING:
    # Imported when the command runs.
    from yarddial.analysis.ghosts.remedies import Remedy, SpanScene
    from yarddial.analysis.ghosts.scene import Ghost
    from yarddial.yard.parts import Receiver


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--centre", "centre_hz", type=FREQUENCY, required=True, help="Of the span, on the dial.")
@click.option("--rate", "rate_hz", type=FREQUENCY, required=True, callback=positive, help="Sample rate.")
@click.option("--crystal", "crystal_hz", type=FREQUENCY, help="The receiver's crystal.")
@click.option("--receiver", "receiver_name", default="Finch", help="A receiver of the demo yard, for its data.")
@click.option("--order", type=click.IntRange(2, 5), default=3, help="Highest order of products.")
@click.option("--floor", "min_dbm", type=float, default=-140.0, help="Weaker ones are left out, dBm.")
@click.option("--wanted", "wanted_hz", type=FREQUENCY, help="Say too what frees this place on the dial of its ghost.")
@click.option("--width", "width_hz", type=FREQUENCY, default="2.7k", callback=positive, help="Of what is wanted.")
@through_option
@json_option
def command(
    file: Path, centre_hz: float, rate_hz: float, crystal_hz: float | None, receiver_name: str, order: int,
    min_dbm: float, wanted_hz: float | None, width_hz: float, stages: tuple[Stage, ...], as_json: bool,
) -> None:  # fmt: skip
    """List what a span will show that is not what it seems."""
    import msgspec

    from yarddial.analysis.ghosts.from_yard import scene_of
    from yarddial.analysis.ghosts.prediction import predict
    from yarddial.analysis.ghosts.remedies import SpanScene
    from yarddial.records.strong_file import read_strong
    from yarddial.yard.demo import demo_station
    from yarddial.yard.parts import Receiver

    strong = read_strong(file)
    station = demo_station()
    receivers = [p for p in station.parts if isinstance(p, Receiver) and p.name.lower() == receiver_name.lower()]
    if not receivers:
        able = ", ".join(p.name for p in station.parts if isinstance(p, Receiver))
        raise BadObservations(f"there is no receiver '{receiver_name}': choose one of {able}")
    route = next(route for route in station.resolved_routes() if route.receiver.name == receivers[0].name)
    model = scene_of(route, ()).receiver
    model = msgspec.structs.replace(model, ppm=0.0, direct_clock_hz=0.0, crystal_hz=crystal_hz or model.crystal_hz)
    from yarddial.analysis.ghosts.scene import Scene

    # Use the usual isolation and leakage of a converter: those of the demo yard.
    converting = next(scene_of(route, ()) for route in station.resolved_routes() if route.stages)
    isolation_db, leak_dbm = (converting.isolation_db, converting.lo_leak_dbm) if stages else (None, None)
    scene = Scene(strong, stages, model, None, isolation_db, leak_dbm)
    ghosts = predict(scene, centre_hz, rate_hz, min_dbm, order)
    values: dict[str, Any] = {
        "ghosts": [
            {"dial_hz": g.dial_hz, "level_dbm": g.level_dbm, "kind": g.kind, "from": list(g.sources),
             "formula": g.formula, "moves": g.moves, "falls": g.falls, "moves_rate": g.moves_rate}
            for g in ghosts
        ]
    }  # fmt: skip
    values["assumed"] = []
    if order > 3:
        known = {4: model.iip4_dbm, 5: model.iip5_dbm}
        values["assumed"] = [f"IIP{n}" for n in range(4, order + 1) if known[n] is None]
    helps: list[Remedy] = []
    if wanted_hz is not None:
        helps = list(
            _what_helps(SpanScene(scene, centre_hz, rate_hz, min_dbm), wanted_hz, width_hz, ghosts, receivers[0])
        )
        values["remedies"] = [
            {"kind": remedy.kind, "words": remedy.words, "predicted": remedy.prediction()} for remedy in helps
        ]
    routes = [
        f"{format_frequency(g.dial_hz)}  {g.level_dbm:6.1f} dBm  {g.kind}: {g.formula}"
        + (f" of {', '.join(g.sources)}" if g.sources else "")
        for g in ghosts[:40]
    ]
    more = [f"and {len(ghosts) - 40} weaker ones"] if len(ghosts) > 40 else []
    lines_shown = [*routes, *more] or ["nothing is to be expected but true signals"]
    if values["assumed"]:
        lines_shown.append(f"levels of order 4 and 5 are assumed: no {' and no '.join(values['assumed'])} is known")
    if wanted_hz is not None:
        lines_shown += ["", f"what would remove it, at {format_frequency(wanted_hz)}:"]
        lines_shown += [f"{remedy.words}: {remedy.prediction()}" for remedy in helps] or [
            "nothing that can be set or bought"
        ]
    answer(as_json, values, "\n".join(lines_shown))


def _what_helps(
    setting: "SpanScene", wanted_hz: float, width_hz: float, ghosts: "Sequence[Ghost]", receiver: "Receiver"
) -> "Iterable[Remedy]":
    """Remedies for the channel of the strongest ghost in it; raises BadObservations without one."""
    from yarddial.analysis.ghosts.remedies import Able, WantedChannel, remedies

    inside = [g for g in ghosts if abs(g.dial_hz - wanted_hz) <= width_hz / 2]
    if not inside:
        raise BadObservations(f"no ghost is predicted within {width_hz / 2:g} Hz of {format_frequency(wanted_hz)}")
    less_db = sorted({s.set_db - step for s in receiver.gain_stages for step in s.steps_db if step < s.set_db})
    able = Able(receiver.rates_hz, tuple(less_db), tunes=lambda hertz: not receiver.why_not(hertz), own_lo=True)
    return remedies(setting, WantedChannel(wanted_hz, width_hz), inside[0], able)
