"""The session's single link: to the local engine or to one on another computer, depending on the receiver started."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.commands import (
    Cancel,
    Clean,
    Command,
    Follow,
    Hear,
    Measure,
    RecordSamples,
    SendChannel,
    Show,
    Start,
    Stop,
    Sweep,
)
from yarddial.engine.events import (
    Answer,
    Event,
    JobFailed,
    Measured,
    NotMeasured,
    RecordingState,
    Stopped,
    SweepDone,
    refusal_of,
)
from yarddial.engine.link import EngineLink
from yarddial.yard import clock

if TYPE_CHECKING:
    # Import only when a far receiver is chosen.
    from yarddial.distance.far_engine import FarEngine

PREFIX = "far:"
# Time for a former engine to finish its requests; then they count as ended.
LEAVE_S = 5.0


class _Left:
    """An engine that was replaced, until all its requests have ended."""

    def __init__(self, owed: dict[tuple[int, type], Measure | Sweep | RecordSamples]) -> None:
        self.owed = owed
        self.since_s = clock.monotonic_s()


class EngineSwitch:
    """Link for local receivers and for `far:NAME/DRIVER:ADDRESS`, a receiver of the paired computer NAME.

    Requests to a former engine are answered or reported as ended. Those that can continue are repeated to the new one.
    """

    def __init__(self, here: EngineLink, far: "Callable[[str], FarEngine | None]") -> None:
        self._here, self._far = here, far
        self._links: dict[str, FarEngine] = {}
        self._now: EngineLink = here
        self._events: list[Event] = []
        # Requests that await an answer, and those that last until cancelled, by job and kind.
        self._owed: dict[tuple[int, type], Measure | Sweep | RecordSamples] = {}
        self._lasting: dict[tuple[int, type], Hear | Follow | SendChannel | Clean] = {}
        self._show: Show | None = None
        self._left: dict[EngineLink, _Left] = {}

    @property
    def far_in_use(self) -> "FarEngine | None":
        """The far computer whose receiver is used; None for one of this computer."""
        return next((link for link in self._links.values() if link is self._now), None)

    def send(self, command: Command) -> None:
        """Send to the engine whose receiver was started last."""
        if isinstance(command, Start):
            far, address = self.far(command.address)
            wanted = self._here if not command.address.startswith(PREFIX) else far
            if wanted is None:
                place = command.address.removeprefix(PREFIX).partition("/")[0]
                name = place.rpartition("@")[0] or place
                sentence = f"the computer {name} is not known here: pair with it first, in the menu under Receiver"
                self._events.append(Stopped(sentence, error="DeviceNotFound"))
                return
            command = msgspec.structs.replace(command, address=address)
            if wanted is not self._now:
                self._go_to(wanted, command)
                return
        self._remember(command)
        self._now.send(command)

    def _go_to(self, wanted: EngineLink, start: Start) -> None:
        """Switch to another engine, and repeat lasting requests there."""
        self._left[self._now] = _Left(self._owed)
        self._owed = {}
        self._now.send(Stop())
        self._now = wanted
        wanted.send(start)
        if self._show is not None:
            wanted.send(self._show)
        for request in self._lasting.values():
            wanted.send(request)

    def _remember(self, command: Command) -> None:
        match command:
            case Measure() | Sweep() | RecordSamples():
                self._owed[command.job, type(command)] = command
            case Hear() | Follow() | SendChannel() | Clean():
                self._lasting[command.job, type(command)] = command
            case Show():
                self._show = command
            case Stop():
                # The engine forgets them too; listeners request them again when the receiver starts.
                self._lasting.clear()
            case Cancel():
                self._lasting = {
                    key: lasting_command for key, lasting_command in self._lasting.items() if key[0] != command.job
                }
            case _:
                pass

    def far(self, address: str) -> "tuple[FarEngine | None, str]":
        """Far computer of an address and the address on it; None for one of this computer."""
        if not address.startswith(PREFIX):
            return None, address
        name, _, rest = address.removeprefix(PREFIX).partition("/")
        if name not in self._links:
            engine = self._far(name)
            if engine is None:
                return None, rest
            self._links[name] = engine
        return self._links[name], rest

    def poll(self) -> list[Event]:
        """Events of the present engine, and answers still awaited from former ones."""
        events, self._events = self._events, []
        for link in (self._here, *self._links.values()):
            new_events = link.poll()
            if link in self._left:
                new_events = self._of_left(link, new_events)
            elif link is not self._now:
                new_events = []
            if link is self._now:
                for event in new_events:
                    self._settle(self._owed, event)
            events += new_events
        return events

    def _of_left(self, link: EngineLink, left_events: list[Event]) -> list[Event]:
        """Awaited answers of a former engine; once it has stopped, endings for what it never answered."""
        left, events = self._left[link], list[Event]()
        is_over = clock.monotonic_s() - left.since_s > LEAVE_S
        for event in left_events:
            if isinstance(event, Answer) and any(event.job == job for job, _ in left.owed):
                self._settle(left.owed, event)
                events.append(event)
            elif isinstance(event, Stopped) and link in self._left:
                # The first stop answers the switch; if the session has come back, later ones are its own.
                is_over = True
            elif link is self._now and link in self._left:
                events.append(event)
        if is_over:
            del self._left[link]
            for request in left.owed.values():
                if (answer := refusal_of(request, "another receiver was started before it was done")) is not None:
                    events.append(answer)
        return events

    @staticmethod
    def _settle(owed: dict[tuple[int, type], Measure | Sweep | RecordSamples], event: Event) -> None:
        match event:
            case JobFailed():
                for kind in (Measure, Sweep, RecordSamples):
                    owed.pop((event.job, kind), None)
            case Measured() | NotMeasured():
                owed.pop((event.job, Measure), None)
            case SweepDone():
                owed.pop((event.job, Sweep), None)
            case RecordingState(is_done=True):
                owed.pop((event.job, RecordSamples), None)
            case _:
                pass

    def warm(self) -> None:
        """Warm up the engine in use."""
        self._now.warm()

    def close(self) -> None:
        """Close all engines."""
        for link in (self._here, *self._links.values()):
            link.close()
