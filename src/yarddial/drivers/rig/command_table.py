"""A transceiver's commands as data: what to send and how answers look, written from its manual.

A pattern is plain text with places in braces: {hertz} for digits (in a set pattern {hertz:11} fills up with noughts),
{mode} and {flag} for up to eight signs, {any:3} for signs that tell nothing. `template.json` is one to begin from.
"""

import re
from importlib import resources
from pathlib import Path

import msgspec

from yarddial.yard.errors import YardDialError
from yarddial.yard.plain_text import shown

# Commands of the ASCII family that only read, and those that set nothing but frequency, mode and split; also the
# template's invented ones. A table may hold only these: no command that could key a transmitter is ever sent.
READING_COMMANDS = frozenset({"FA", "FB", "IF", "MD", "FR", "FT", "OI", "QF", "QM", "QT", "QS", "QX"})
SETTING_COMMANDS = frozenset({"FA", "FB", "MD", "FR", "FT", "SF", "SM", "SS", "SX"})
_ASK = re.compile(r"(?P<command>[A-Z]{2})\d{0,2}")
_SET = re.compile(r"(?P<command>[A-Z]{2})\d{0,2}\{(?:hertz|mode|flag)(?::\d{1,2})?\}")
_PLACE = re.compile(r"\{(hertz|mode|flag|any)(?::(\d{1,2}))?\}")
MAX_BYTES = 20_000


class BadTable(YardDialError, ValueError):
    """A table of commands is invalid; the sentence says what to fix."""


class TableCommand(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One command: how it is asked, answered and set.

    ask, answer : question and the pattern of its answer; empty where it cannot be asked.
    set : the pattern that sets it; empty where it cannot be set.
    names : for modes, from the transceiver's text to the program's; for flags, from text to "yes" or "no".
    """

    ask: str = ""
    answer: str = ""
    set: str = ""
    names: dict[str, str] = {}


class CommandTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A complete table. `terminator` ends every question and every answer."""

    name: str
    frequency: TableCommand
    speed: int = 9600
    stop_bits: int = 1
    terminator: str = ";"
    confirms_sets: bool = False
    mode: TableCommand | None = None
    transmitting: TableCommand | None = None
    transmit_frequency: TableCommand | None = None
    split: TableCommand | None = None


def load_table(name: str) -> CommandTable:
    """Load a table from a file, or `template`; raises BadTable in one sentence."""
    if name == "template":
        raw = (resources.files("yarddial.drivers.rig") / "tables" / "template.json").read_bytes()
    else:
        try:
            path = Path(name).expanduser()
            if not path.is_file():
                raise BadTable(f"the table {shown(name)} is no file: name a table's file, or 'template'")
            with path.open("rb") as file:
                raw = file.read(MAX_BYTES + 1)
        except (OSError, ValueError, RuntimeError) as error:
            if isinstance(error, BadTable):
                raise
            why = getattr(error, "strerror", None) or str(error)
            raise BadTable(f"the table {shown(name)} cannot be read: {shown(why)}") from error
    if len(raw) > MAX_BYTES:
        raise BadTable(f"{shown(name)} is no table of commands: it is longer than {MAX_BYTES} bytes")
    try:
        table = msgspec.json.decode(raw, type=CommandTable)
    except (msgspec.DecodeError, msgspec.ValidationError, RecursionError) as error:
        raise BadTable(f"{shown(name)} is no table of commands: {shown(str(error))}") from error
    return _checked(table, name)


def _checked(table: CommandTable, name: str) -> CommandTable:
    where = f"the table {shown(name)}"
    if not (300 <= table.speed <= 1_000_000 and table.stop_bits in (1, 2) and 1 <= len(table.terminator) <= 2):
        raise BadTable(f"{where}: speed 300 to 1 000 000, stop_bits 1 or 2, terminator of one or two signs")
    if not all(" " < sign < "\x7f" or sign in "\r\n" for sign in table.terminator):
        raise BadTable(f"{where}: the terminator is one or two signs of ASCII, such as ';' or a carriage return")
    wanted_places = {
        "frequency": "hertz", "mode": "mode", "transmitting": "flag", "split": "flag", "transmit_frequency": "hertz",
    }  # fmt: skip
    for what, wanted in wanted_places.items():
        command: TableCommand | None = getattr(table, what)
        if command is None:
            continue
        _check_sent(command.ask, _ASK, READING_COMMANDS, f"{where}: {what}.ask")
        _check_sent(command.set, _SET, SETTING_COMMANDS, f"{where}: {what}.set")
        if command.set and what == "transmitting":
            raise BadTable(f"{where}: transmitting cannot be set by a table: leave its set empty")
        if not all(re.fullmatch(r"[A-Za-z0-9]{1,8}", sign) for sign in command.names):
            raise BadTable(f"{where}: the names of {what} are letters and digits, at most eight")
        fields = [place[1] for place in _PLACE.finditer(command.answer) if place[1] != "any"]
        if len(fields) > len(set(fields)):
            raise BadTable(f"{where}: the answer to {what} has a place of one kind twice: use {{any}} for one of them")
        if command.ask and f"{{{wanted}" not in command.answer:
            raise BadTable(f"{where}: the answer to {what} must have {{{wanted}}} in it")
    if not table.frequency.ask:
        raise BadTable(f"{where}: a frequency that cannot be asked cannot be followed: fill in frequency.ask")
    return table


def _check_sent(words: str, form: re.Pattern[str], known: frozenset[str], where: str) -> None:
    """Raise BadTable unless the words are one known command: anything else could key a transmitter."""
    match = form.fullmatch(words)
    if words and (match is None or match["command"] not in known):
        raise BadTable(
            f"{where} sends '{shown(words)}', which is not one known command: nothing that might make a transceiver "
            f"transmit is sent; use one of {', '.join(sorted(known))}"
        )


def reading(pattern: str) -> re.Pattern[str]:
    """Compile an answer's pattern into a regular expression with named groups."""
    expression, end = "", 0
    for place in _PLACE.finditer(pattern):
        expression += re.escape(pattern[end : place.start()])
        match place[1]:
            case "hertz":
                expression += r"(?P<hertz>\d{1,12})"
            case "any":
                expression += f".{{{place[2] or 1}}}"
            case other:
                expression += f"(?P<{other}>[^;\\r\\n]{{1,8}}?)"
        end = place.end()
    return re.compile(expression + re.escape(pattern[end:]) + r"\Z")


def filled(pattern: str, **values: str | int) -> str:
    """Fill a pattern with a value to send."""

    def value(place: re.Match[str]) -> str:
        text = values.get(place[1], "")
        return str(text).zfill(int(place[2] or 0)) if place[1] == "hertz" else str(text)

    return _PLACE.sub(value, pattern)
