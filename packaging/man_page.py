"""Writes the manual page of the command line from its commands: `python packaging/man_page.py > yard-dial.1`."""

import sys
from datetime import UTC, datetime
from importlib.metadata import version

import click

from yarddial.cli.program import program


def roff(text: str) -> str:
    """A text in the typesetter's own signs."""
    safe = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join(f"\\&{line}" if line.startswith((".", "'")) else line for line in safe.splitlines())


def options_of(command: click.Command, context: click.Context) -> list[str]:
    """A paragraph for each option and argument."""
    lines: list[str] = []
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context)
        if record is not None:
            lines += [".TP", f".B {roff(record[0])}", roff(record[1] or "")]
    return lines


def page() -> str:
    """All of it."""
    context = click.Context(program, info_name="yard-dial")
    today = datetime.now(UTC).strftime("%Y-%m-%d")
    lines = [
        f'.TH YARD\\-DIAL 1 "{today}" "Yard Dial {version("yard-dial")}" "User commands"',
        ".SH NAME",
        "yard\\-dial \\- how a signal reaches your dial, how far the dial is off, why, and what to set",
        ".SH SYNOPSIS",
        ".B yard\\-dial", "[\\fIOPTIONS\\fR] [\\fIFILE.yard.json\\fR]", ".br",
        ".B yard\\-dial", "\\fICOMMAND\\fR [\\fIARGS\\fR]...",
        ".SH DESCRIPTION",
        roff(" ".join((program.help or "").split())),
        "Errors are always dial minus true: positive means that the dial reads high.",
        ".SH OPTIONS",
        *options_of(program, context),
        ".SH COMMANDS",
        "With \\fB\\-\\-json\\fR a command prints one JSON object on standard output and nothing else there.",
    ]  # fmt: skip
    for name in program.list_commands(context):
        command = program.get_command(context, name)
        if command is None:
            continue
        inner = click.Context(command, info_name=name, parent=context)
        usage = " ".join(command.collect_usage_pieces(inner))
        lines += [f".SS {roff(name)} {roff(usage)}", roff(command.help or ""), *options_of(command, inner)]
    lines += [
        ".SH EXIT STATUS", "0 good; 1 nothing was found, or a check failed; 2 bad input, with one sentence.",
        ".SH FILES", "Settings, yards and the logbook lie in the folders that the XDG base directories name.",
        ".SH SEE ALSO", "\\fByard\\-dial manual\\fR prints the manual page by page; \\fBF1\\fR opens it in the window.",
    ]  # fmt: skip
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    sys.stdout.write(page())
