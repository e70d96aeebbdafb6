"""Shared options and arguments: frequencies, converters, recordings, and the printing of an answer."""

import contextlib
import math
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import click

from yarddial.cli.output import say, say_json
from yarddial.yard.errors import BadFrequency
from yarddial.yard.frequency import parse_frequency
from yarddial.yard.frequency_conversion import Stage, parse_ppm, parse_stage

CommandFunction = TypeVar("CommandFunction", bound=Callable[..., Any])

# A frequency may begin with a minus sign, so an unknown option is taken as an argument.
MINUS_ALLOWED = {"ignore_unknown_options": True}


class FrequencyType(click.ParamType[Any]):
    """A frequency in any sane spelling, hertz when bare."""

    name = "frequency"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """Convert the text of a frequency to hertz."""
        return value if isinstance(value, float) else parse_frequency(str(value))


class PpmType(click.ParamType[Any]):
    """A fractional error in ppm."""

    name = "ppm"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """Convert the text of a part per million value."""
        return value if isinstance(value, float) else parse_ppm(str(value))


class StageType(click.ParamType[Any]):
    """Parameter type of a converter, KIND:LO[@PPM]."""

    name = "kind:lo[@ppm]"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Stage:
        """Convert the text of a converter to a stage."""
        return value if isinstance(value, Stage) else parse_stage(str(value))


FREQUENCY, PPM, STAGE = FrequencyType(), PpmType(), StageType()


def positive(ctx: click.Context, param: click.Parameter, value: float | None) -> float | None:
    """Refuse values that are not above zero."""
    if value is not None and not value > 0:
        raise BadFrequency(f"{param.opts[0]} must be above 0, not {value:g}")
    return value


def json_option(command: CommandFunction) -> CommandFunction:
    """Add the option --json to a command."""
    return click.option("--json", "as_json", is_flag=True, help="Print one JSON object.")(command)


def through_option(command: CommandFunction) -> CommandFunction:
    """Add the option --through to a command, antenna first."""
    help_text = "A converter, antenna first: sum:LO, low:LO or high:LO, with @PPM for its true error."
    return click.option("--through", "stages", type=STAGE, multiple=True, help=help_text)(command)


def recording_options(command: CommandFunction) -> CommandFunction:
    """Add the file, and the properties that a raw file does not state."""
    for decorate in (
        click.option("--centre", "centre_hz", type=FREQUENCY, help="What the dial showed at the centre."),
        click.option("--rate", "rate_hz", type=FREQUENCY, callback=positive, help="Sample rate of a raw file."),
        click.option("--format", "sample_format", default="", help="Raw samples: cu8, cs8, cs16 or cf32."),
        click.argument("file", type=click.Path(path_type=Path)),
    ):
        command = decorate(command)
    return command


@contextlib.contextmanager
def waiting(what: str) -> Iterator[None]:
    """Announce slow work on a terminal; Ctrl+C ends it."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    with Console(stderr=True).status(f"{what}…"):
        yield


def answer(as_json: bool, values: dict[str, Any], sentence: str) -> None:
    """Print the JSON object or the human answer, nothing else."""
    if as_json:
        say_json(_finite(values))
    else:
        say(sentence)


def _finite(value: Any) -> Any:
    """Replace infinities and NaN by null, since JSON has neither."""
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {key: _finite(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [_finite(item) for item in value]
    return value
