"""The commands, found by name and imported only when used."""

import importlib
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import click

from yarddial.cli.output import say
from yarddial.yard.errors import YardDialError

if TYPE_CHECKING:
    from yarddial.distance.identity import Identity, KnownComputers
    from yarddial.distance.server import Server
    from yarddial.drivers.registry import Registry
    from yarddial.records.allowed_programs import AllowedPrograms
    from yarddial.session.first_light.checks import FirstLight
    from yarddial.yard.station import Station

_COMMANDS = {
    "path": "Follow a frequency from the antenna to the dial.",
    "frequency": "Read a frequency the way people write it.",
    "measure": "Measure a carrier in a recording.",
    "true": "Fit the oscillators' errors to measurements in a CSV file.",
    "tones": "Tell the dial's error by a tone heard as AM, USB and LSB.",
    "blind": "True the dial by the raster that stations keep, none of them known.",
    "simulate": "Record the simulated receiver.",
    "card": "Print what to type into a listening program.",
    "devices": "List the receivers that can be found.",
    "check": "Check a receiver: does it answer, with all its samples.",
    "check-driver": "Hold an installed driver to its contract and print what it breaks.",
    "allow-program": "Allow a program of yours to be started as a receiver.",
    "adc": "Tell what a converter can do in a bandwidth.",
    "level": "Read a level: dBm, microvolts, dBuV, S-units.",
    "levels": "Work out noise figure, intercept and dynamic range of a chain.",
    "ghosts": "List what a span will show that is not what it seems.",
    "ghost-test": "Tell true signals from ghosts by recordings made at two centres.",
    "bands": "Tell for every band how it is reached and how true the dial is there.",
    "compare": "Compare two recordings of the same signal: which hears it better.",
    "bench": "Check a yard: what is wrong with it, worst first.",
    "reach": "List the routes to a frequency, the best first, and what each covers.",
    "shelf": "List the parts on the shelf, or write one to a file.",
    "kit": "Print what must lie on the table for a yard.",
    "lengths": "Print antenna lengths for a frequency.",
    "join-desktop": "Put a menu entry on the desktop, or take it away.",
    "rig": "Read a transceiver, or tune it, by its control daemon.",
    "serve": "Serve this computer's receivers to paired computers.",
    "pair": "Pair with a computer that serves its receivers.",
    "manual": "Print the manual, page by page, or search it.",
    "which-lo": "Tell which of several stated oscillators a converter really has.",
}


class Doors(Protocol):
    """What commands need of the wiring: drivers, First light, link and window."""

    def registry(self) -> "Registry":
        """All drivers by name."""
        ...

    def allowed_programs(self) -> "AllowedPrograms":
        """Programs that may be started as receivers."""
        ...

    def first_light(
        self, station: "Station", address: str, route_name: str = "", seconds_s: float = 2.0, *, flat_out: bool = False
    ) -> "FirstLight":
        """Make a run of First light."""
        ...

    def serving_identity(self) -> "Identity":
        """Identity of this computer for those that it serves."""
        ...

    def distance_server(self, identity: "Identity", name: str) -> "Server":
        """Create the server that offers this computer's receivers."""
        ...

    def known_computers(self) -> "KnownComputers":
        """Computers that this one was paired with."""
        ...

    def open_window(self, file: "Path | None", *, demo: bool, **options: Any) -> int:
        """Open the window on a station file, the demo yard, or the person's own yard; returns its exit status."""
        ...


class Program(click.Group):
    """Loads a command's module at its first use."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Treat a station file in place of a command as a file for the window."""
        files = [word for word in args if word.endswith(".json") and args[0] not in _COMMANDS]
        ctx.meta["file"] = Path(files[-1]) if files else None
        return super().parse_args(ctx, [word for word in args if word not in files])

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Names in the order of the work."""
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import a command and return it."""
        if cmd_name not in _COMMANDS:
            return None
        module = importlib.import_module(f"yarddial.cli.{cmd_name.replace('-', '_')}_command")
        command: click.Command = module.command
        command.help = _COMMANDS[cmd_name]
        command.name = cmd_name
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands without importing them."""
        with formatter.section("Commands"):
            formatter.write_dl(list(_COMMANDS.items()))


@click.command(cls=Program, invoke_without_command=True, options_metavar="[OPTIONS] [FILE.yard.json]")
@click.version_option(package_name="yard-dial")
@click.option("--demo", is_flag=True, help="Open the window on the demo yard.")
@click.option("--theme", type=click.Choice(["day", "night"]), help="Colours of the window; else as in the settings.")
@click.option("--text-scale", type=click.FloatRange(0.5, 3.0), help="Enlarge all lettering, 1 to 2.")
@click.option("--picture", type=click.Path(path_type=Path), help="Write a picture of the first window and end.")
@click.option("--say-painted", is_flag=True, help="Print the moment of the first paint and go on.")
@click.pass_context
def program(ctx: click.Context, /, demo: bool, **options: Any) -> int:
    """Which path a signal takes to your dial, how far the dial is off, why, and what to set.

    Without a command the window opens: on a station file, with --demo on the demo yard, else on your own yard.
    """
    if ctx.invoked_subcommand is not None:
        return 0
    doors: Doors | None = ctx.obj
    if doors is None:
        raise click.UsageError("no window can be opened from here: name a command")
    return doors.open_window(ctx.meta["file"], demo=demo, **options)


def run(arguments: list[str], doors: Doors | None = None) -> int:
    """Run a command line and return its exit status: 0 good, 1 nothing found or a check failed, 2 bad input.

    doors : the way to drivers and devices, given by whoever starts the program.
    """
    from yarddial.yard.errors import NoCarrier

    try:
        result: Any = program.main(arguments, prog_name="yard-dial", standalone_mode=False, obj=doors)
    except click.exceptions.Exit as done:
        return done.exit_code
    except click.Abort:
        say("stopped", is_error=True)
        return 1
    except click.ClickException as error:
        say(_one_line(error.format_message()), is_error=True)
        return 2
    except NoCarrier as error:
        say(_one_line(str(error)), is_error=True)
        return 1
    except YardDialError as error:
        say(_one_line(str(error)), is_error=True)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
        return 0
    return result if isinstance(result, int) else 0


def _one_line(text: str) -> str:
    return " ".join(text.split())
