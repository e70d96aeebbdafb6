"""`yard-dial ghost-test FIRST SECOND [MORE...]`."""

from pathlib import Path
from typing import Any

import click

from yarddial.cli.options import MINUS_ALLOWED, answer, json_option, through_option
from yarddial.yard.errors import BadRecording
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import Stage, path_sense

MAX_SAID = 40


@click.command(context_settings=MINUS_ALLOWED)
@click.argument("files", nargs=-1, type=click.Path(path_type=Path))
@click.option("--less", "less_db", type=float, default=0.0, help="Attenuation before the receiver in the last one, dB.")
@through_option
@json_option
def command(files: tuple[Path, ...], less_db: float, stages: tuple[Stage, ...], as_json: bool) -> int:
    """Tell of every peak in the first recording whether it is true: the others were made with one thing changed."""
    from yarddial.session.spurious.recorded_spans import judge_recordings

    if not 0 <= less_db <= 60:
        raise BadRecording(f"--less must lie from 0 to 60 dB, not {less_db:g}")
    judged = judge_recordings(files, less_db=less_db, sense=path_sense(stages), has_converter=bool(stages))
    ranked = sorted(judged.judged, key=lambda pair: pair[0].dial_hz)
    values: dict[str, Any] = {
        "changes": [record.change for record in judged.records],
        "peaks": [
            {
                "dial_hz": peak.dial_hz, "level_dbfs": peak.level_dbm,
                "verdict": judgement.verdict, "kind": judgement.best.kind,
                "cause": judgement.best.words, "odds": judgement.odds[0][1], "missing": judgement.missing,
                "blind": list(judgement.blind),
            }
            for peak, judgement in ranked
        ],
    }  # fmt: skip
    lines = []
    for peak, judgement in ranked[:MAX_SAID]:
        other = "another " if judgement.missing in judgement.blind else ""
        more = f", {judgement.odds[0][1]:.0%}; {other}{judgement.missing} would tell" if judgement.missing else ""
        lines.append(f"{format_frequency(peak.dial_hz, 0)}  {judgement.verdict}: {judgement.best.words}{more}")
    answer(as_json, values, "\n".join(lines) or "nothing stands out in the first recording")
    return 0 if ranked else 1
