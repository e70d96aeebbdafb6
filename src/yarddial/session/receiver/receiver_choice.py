"""Choice of the device for a receiver of the yard: discovery, and its capabilities once chosen."""

from collections.abc import Callable
from typing import Protocol

import msgspec

from yarddial.drivers.discovery import Listing, Told
from yarddial.session.activity import Declaration
from yarddial.session.helper_process import Helper
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.capabilities_in_yard import with_capabilities
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.station.desk import Desk
from yarddial.yard import clock

LOST_REASONS = {
    "gone": "the search for receivers ended unexpectedly: open this page anew",
    "hangs": "a driver does not come back from its search: open this page anew",
}
NOT_TOLD = {
    "gone": "the driver ended unexpectedly: suspect it",
    "hangs": "the driver does not answer: unplug the receiver, plug it in, then choose it again",
    "done": "the driver said nothing: choose it again",
}


class ChoiceHelpers(msgspec.Struct, frozen=True):
    """Helpers that discover receivers, query one, and remember programs; supplied at construction."""

    search: Callable[[], Helper[Listing]]
    ask: Callable[[str], Helper[Told]]
    allow: Callable[[str], None]
    is_allowed: Callable[[str], bool]


class ReceiverChoice:
    """Choice of a receiver: discover while open, query one device at a time, store the answer as one edit."""

    def __init__(self, desk: Desk, live_receiver: LiveReceiver, helpers: ChoiceHelpers | None) -> None:
        self._desk, self._live_receiver, self._helpers = desk, live_receiver, helpers
        self._changed = Listeners()
        self._searching: Helper[Listing] | None = None
        self._asking: Helper[Told] | None = None
        self._take: Callable[[Told], None] | None = None
        self.listing: Listing | None = None
        self.device = ""
        self.trouble = ""
        self.told: Told | None = None

    @property
    def is_asking(self) -> bool:
        """True while a device is being queried."""
        return self._asking is not None

    @property
    def is_busy(self) -> bool:
        """True while polls are needed."""
        return self._searching is not None or self._asking is not None

    def on_choice_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for plugged or unplugged devices, and for answers."""
        return self._changed.add(listener)

    def search(self) -> None:
        """Start discovery, which continues until `leave`."""
        if self._helpers is not None and self._searching is None:
            self.trouble, self.told, self.device = "", None, ""
            self._searching = self._helpers.search()
            self._changed.tell()

    def leave(self) -> None:
        """Stop discovering."""
        for helper in (self._searching, self._asking):
            if helper is not None:
                helper.cancel()
        self._searching = self._asking = None

    def is_allowed(self, device: str) -> bool:
        """Return False for a program that nobody has allowed on this computer."""
        driver, _, command = device.partition(":")
        return driver != "process" or self._helpers is None or self._helpers.is_allowed(command)

    def allow(self, device: str) -> None:
        """Allow a program on this computer, by a button that showed its command; raises NotWritten."""
        if self._helpers is not None:
            self._helpers.allow(device.partition(":")[2])

    def choose(self, part_name: str, device: str) -> None:
        """Query a device; a receiver of the yard then becomes that device."""
        self._ask(device, lambda announced: self._put(part_name, announced))

    def ask(self, device: str, take: Callable[[Told], None]) -> None:
        """Query a device for a new yard."""
        self._ask(device, take)

    def _ask(self, device: str, take: Callable[[Told], None]) -> None:
        if self._helpers is None:
            return
        if self._asking is not None:
            self._asking.cancel()
        # Only one of the two can use the device.
        self._live_receiver.stop()
        self.device, self.trouble, self.told, self._take = device, "", None, take
        self._asking = self._helpers.ask(device)
        self._changed.tell()

    def cancel(self) -> None:
        """Stop waiting for the device's answer."""
        if self._asking is not None:
            self._asking.cancel()
            self._asking = None
            self.trouble = "that was cancelled: choose again"
            self._changed.tell()

    def poll(self) -> None:
        """Process discoveries and answers."""
        if self._searching is not None:
            messages = self._searching.poll()
            if messages and messages[-1] != self.listing:
                self.listing = messages[-1]
                self._changed.tell()
            if self._searching.ended:
                self.trouble = LOST_REASONS.get(self._searching.ended, "")
                self._searching = None
                self._changed.tell()
        if self._asking is not None:
            self._poll_asked(self._asking)

    def _poll_asked(self, asking: Helper[Told]) -> None:
        answers = asking.poll()
        if not answers and not asking.ended:
            return
        self._asking = None
        asking.cancel()
        answer = answers[0] if answers else Told(self.device, None, NOT_TOLD.get(asking.ended, "it did not answer"))
        self.told, take = answer, self._take
        self._take = None
        self.trouble = answer.why
        if answer.capabilities is not None and take is not None:
            take(answer)
        self._changed.tell()

    def _put(self, part_name: str, announced: Told) -> None:
        if announced.capabilities is None:
            return
        station = with_capabilities(
            self._desk.station, part_name, announced.capabilities, announced.device, clock.today()
        )  # fmt: skip
        self._desk.edit(f"{part_name}: choose the receiver", station)


class ChoiceTopics(ReceiverTopics, Protocol):
    """What this activity needs of the session."""

    @property
    def choice_helpers(self) -> Callable[[], ChoiceHelpers] | None:
        """Makes the helper that discovers receivers."""
        ...


def _make(of: ChoiceTopics) -> ReceiverChoice:
    helpers = of.choice_helpers
    return ReceiverChoice(of.desk, of.live_receiver, helpers() if helpers is not None else None)


DECLARATION = Declaration(
    make=_make, needs_polls=lambda choice: choice.is_busy, poll=ReceiverChoice.poll, close=ReceiverChoice.leave
)
