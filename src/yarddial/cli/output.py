"""The one way to a terminal: what names and messages hold is shown, never obeyed."""

import json
import re
from typing import Any

import click

from yarddial.yard.plain_text import INVISIBLE_CHARACTERS, shown


def say(text: str, *, is_error: bool = False, ends_line: bool = True) -> None:
    """Print text with its control and direction characters spelled out."""
    click.echo(shown(text), err=is_error, nl=ends_line)


def say_json(value: Any) -> None:
    """Print a JSON value on one line; invisible characters are escaped, so that the value stays what it is."""
    click.echo(INVISIBLE_CHARACTERS.sub(_escaped, json.dumps(value, ensure_ascii=False)))


def _escaped(match: re.Match[str]) -> str:
    return f"\\u{ord(match.group()):04x}"
