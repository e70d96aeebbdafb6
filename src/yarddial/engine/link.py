"""Interface of the session to an engine, wherever that runs."""

from collections.abc import Callable
from typing import Protocol

from yarddial.drivers.protocol import Device
from yarddial.engine.commands import Command, Quit
from yarddial.engine.events import Event

OpenDevice = Callable[[str], Device]


class EngineLink(Protocol):
    """Link to an engine in this process, in another, or on another computer."""

    def send(self, command: Command) -> None:
        """Send a command; never waits for the receiver."""
        ...

    def poll(self) -> list[Event]:
        """Events since the last call, oldest first."""
        ...

    def warm(self) -> None:
        """Prepare for a start; called when idle."""
        ...

    def close(self) -> None:
        """End the engine."""
        ...


class EngineInline:
    """Engine in this process, which handles a number of blocks per poll; for tests and commands."""

    def __init__(self, open_device: OpenDevice, blocks_per_poll: int = 1) -> None:
        self._blocks_per_poll = blocks_per_poll
        from yarddial.engine.engine import Engine

        self._events: list[Event] = []
        self._engine = Engine(open_device, self._events.append)

    def send(self, command: Command) -> None:
        """Execute the command at once."""
        self._engine.handle(command)

    def poll(self) -> list[Event]:
        """Step through the next blocks and return their events."""
        for _ in range(self._blocks_per_poll):
            self._engine.step()
        events = list(self._events)
        self._events.clear()
        return events

    def warm(self) -> None:
        """Do nothing: the engine is ready."""

    def close(self) -> None:
        """Stop the receiver."""
        self._engine.handle(Quit())
