"""One link for the session: to the engine in its own process, or to one on another computer, by what is started."""

from collections.abc import Callable

import msgspec

from yarddial.engine.link import EngineLink
from yarddial.engine.messages import Command, Event, Start, Stop, Stopped

PREFIX = "far:"


class EngineSwitch:
    """`far:NAME/DRIVER:ADDRESS` is a receiver of the paired computer NAME; everything else is here."""

    def __init__(self, here: EngineLink, far: Callable[[str], EngineLink | None]) -> None:
        self._here, self._far = here, far
        self._links: dict[str, EngineLink] = {}
        self._now: EngineLink = here
        self._events: list[Event] = []

    @property
    def is_far(self) -> bool:
        """True while a receiver of another computer is used."""
        return self._now is not self._here

    @property
    def link(self) -> EngineLink:
        """The one in use."""
        return self._now

    def send(self, command: Command) -> None:
        """To whoever has the receiver that was started last."""
        if isinstance(command, Start):
            wanted, address = self._chosen(command.address)
            if wanted is None:
                name = command.address.removeprefix(PREFIX).partition("/")[0]
                sentence = f"the computer {name} is not known here: pair with it first, in the menu under Receiver"
                self._events.append(Stopped(sentence, error="DeviceNotFound"))
                return
            if wanted is not self._now:
                self._now.send(Stop())
                self._now = wanted
            command = msgspec.structs.replace(command, address=address)
        self._now.send(command)

    def far(self, address: str) -> tuple[EngineLink | None, str]:
        """The far computer of an address, None for one of this computer's, and the address that it has there."""
        link, rest = self._chosen(address)
        return (None if link is self._here else link), rest

    def _chosen(self, address: str) -> tuple[EngineLink | None, str]:
        if not address.startswith(PREFIX):
            return self._here, address
        name, _, rest = address.removeprefix(PREFIX).partition("/")
        if name not in self._links:
            made = self._far(name)
            if made is None:
                return None, rest
            self._links[name] = made
        return self._links[name], rest

    def poll(self) -> list[Event]:
        """Of the one in use; what the other still says is of no use any more."""
        events, self._events = self._events, []
        for link in (self._here, *self._links.values()):
            said = link.poll()
            if link is self._now:
                events += said
        return events

    def warm(self) -> None:
        """The one in use."""
        self._now.warm()

    def close(self) -> None:
        """All of them."""
        for link in (self._here, *self._links.values()):
            link.close()
