"""Entry point: opens the window, or runs a command."""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from yarddial.distance.identity import Identity, KnownComputers
    from yarddial.distance.server import Server
    from yarddial.drivers.registry import Registry
    from yarddial.records.allowed_programs import AllowedPrograms
    from yarddial.session.first_light.checks import FirstLight
    from yarddial.yard.station import Station


class Entrance:
    """What the command line needs of the rest of the program."""

    def registry(self) -> "Registry":
        """All drivers by name."""
        from yarddial import wiring

        return wiring.registry()

    def allowed_programs(self) -> "AllowedPrograms":
        """Programs that may be started as receivers."""
        from yarddial import wiring

        return wiring.allowed_programs()

    def first_light(
        self, station: "Station", address: str, route_name: str = "", seconds_s: float = 2.0, *, flat_out: bool = False
    ) -> "FirstLight":
        """Make a run of First light."""
        from yarddial import wiring

        return wiring.first_light(station, address, route_name, seconds_s, flat_out=flat_out)

    def serving_identity(self) -> "Identity":
        """Identity of this computer for those that it serves."""
        from yarddial import wiring
        from yarddial.distance.identity import Identity

        return Identity(wiring.data_folder() / "serving")

    def distance_server(self, identity: "Identity", name: str) -> "Server":
        """Create the server that offers this computer's receivers."""
        from yarddial import wiring

        return wiring.distance_server(identity, name)

    def known_computers(self) -> "KnownComputers":
        """Computers that this one was paired with."""
        from yarddial import wiring

        return wiring.known_computers()

    def open_window(self, file: "Path | None", *, demo: bool, **options: Any) -> int:
        """Open the window; a failure is reported in a sentence."""
        from yarddial import wiring
        from yarddial.ui.start import WindowOptions, open_window
        from yarddial.yard.errors import YardDialError
        from yarddial.yard.plain_text import shown

        try:
            session = wiring.demo_session() if demo else wiring.own_session(file)
        except YardDialError as error:
            print(shown(str(error)), file=sys.stderr)
            return 2
        return open_window(session, WindowOptions(**options), wiring.OwnFiles())


def main() -> int:
    """Run with the command line given."""
    # Matrix products are small here: a second BLAS thread would only spin and take another process's core.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    arguments = sys.argv[1:]
    # Plain starts skip the import of the command line.
    if arguments in ([], ["--demo"]):
        return Entrance().open_window(None, demo=bool(arguments))
    from yarddial.cli.program import run

    return run(arguments, Entrance())


if __name__ == "__main__":
    sys.exit(main())
