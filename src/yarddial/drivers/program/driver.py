"""Driver for programs of the person's; the address is the command with its absolute path."""

from collections.abc import Callable

from yarddial.drivers.program.child import words_of
from yarddial.drivers.program.receiver import ProgramReceiver
from yarddial.drivers.protocol import FoundReceiver, TimeSource
from yarddial.yard.errors import ProgramNotAllowed


class ProgramDriver:
    """Starts only programs that were allowed on this computer, whatever a station file says."""

    name = "process"

    def __init__(self, why_not: Callable[[str], str]) -> None:
        """why_not : reason why a command may not be started; empty for one that may."""
        self._why_not = why_not

    def discover(self) -> tuple[FoundReceiver, ...]:
        """Find nothing: the person enters the program."""
        return ()

    def open(self, address: str, time: TimeSource) -> ProgramReceiver:
        """Start the program; raises ProgramNotAllowed, DeviceNotFound or BadDriver in one sentence."""
        words_of(address)
        if why_not := self._why_not(address):
            raise ProgramNotAllowed(why_not, address)
        return ProgramReceiver(address, time)
