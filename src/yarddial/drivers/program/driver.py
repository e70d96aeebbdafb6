"""Driver for programs of the person's; the address is the command with its absolute path."""

from collections.abc import Callable

from yarddial.drivers.program.child import words_of
from yarddial.drivers.program.receiver import ProgramReceiver
from yarddial.drivers.protocol import FoundReceiver, TimeSource
from yarddial.yard.errors import ProgramNotAllowed
from yarddial.yard.plain_text import one_line


class ProgramDriver:
    """Starts only programs that were allowed on this computer, whatever a station file says."""

    name = "process"

    def __init__(self, is_allowed: Callable[[str], bool]) -> None:
        self._is_allowed = is_allowed

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Find nothing: the person enters the program."""
        return ()

    def open(self, address: str, time: TimeSource) -> ProgramReceiver:
        """Start the program; raises ProgramNotAllowed, DeviceNotFound or BadDriver in one sentence."""
        words_of(address)
        if not self._is_allowed(address):
            raise ProgramNotAllowed(
                f"the program '{one_line(address)}' has not been allowed on this computer: allow it, if you know it",
                address,
            )
        return ProgramReceiver(address, time)
