"""`yard-dial allow-program COMMAND`."""

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.program import Doors


@click.command()
@click.argument("program_command", metavar="COMMAND")
@json_option
@click.pass_obj
def command(doors: Doors, program_command: str, as_json: bool) -> None:
    """Allow a program of yours to be started as a receiver, on this computer, exactly as COMMAND stands.

    It runs with all your rights. Its device is then `process:` and the command.
    """
    from yarddial.drivers.program.child import words_of

    words_of(program_command)
    doors.allowed_programs().allow(program_command)
    answer(as_json, {"allowed": program_command}, f"Allowed on this computer: {program_command}")
