"""A lease: one job's right to use the receiver, requested once and ended once with a reason."""

from collections.abc import Callable
from typing import Literal, Protocol

import msgspec

from yarddial.engine.commands import Request
from yarddial.engine.events import ANSWERS, Answer, Event
from yarddial.engine.jobs.table import JobKind

# done: it has its answer. failed: it could not get one. cancelled: by a person. displaced: by another job.
# stale: the dial or the yard was changed. lost: the receiver is gone. fault: a fault of this program.
How = Literal["done", "failed", "cancelled", "displaced", "stale", "lost", "fault"]


class Ending(msgspec.Struct, frozen=True):
    """How a job ended, and why in a sentence; empty where it was simply done."""

    how: How
    reason: str = ""


class Refusal(msgspec.Struct, frozen=True):
    """Why a job was not begun."""

    reason: str


class Activity(Protocol):
    """Who does a job. Each call comes on the session's thread."""

    def take(self, event: Event) -> None:
        """An answer to something asked under the lease, or what happens to the receiver."""
        ...

    def ended(self, ending: Ending) -> None:
        """Called once when the lease has ended, whoever ended it."""
        ...

    def why_stale(self) -> str:
        """Dial or yard were changed: why the job's answer would be of no use any more, or an empty text."""
        ...

    def stepped_back(self) -> None:
        """Another job has the receiver for a while."""
        ...

    def resumed(self) -> None:
        """The receiver is this job's again."""
        ...


class Job:
    """An activity that needs to hear of its end only."""

    def take(self, event: Event) -> None:
        """Ignore an event: this job asked for nothing."""

    def ended(self, ending: Ending) -> None:
        """Nothing is to be done."""

    def why_stale(self) -> str:
        """Never stale."""
        return ""

    def stepped_back(self) -> None:
        """Nothing is to be done."""

    def resumed(self) -> None:
        """Nothing is to be done."""


class Granter(Protocol):
    """What a lease needs of the scheduler."""

    def send(self, request: Request, lease: "Lease | None") -> int:
        """Send a request under a job's number; returns the request's own."""
        ...

    def stop_requests(self, lease: "Lease") -> None:
        """Have the engine end whatever is under way for a job."""
        ...

    def end(self, lease: "Lease", ending: Ending) -> None:
        """End a lease with a reason."""
        ...


class Lease:
    """Made by the scheduler only. Its number is on every command of the job, and on every answer to it."""

    def __init__(
        self, scheduler: Granter, number: int, kind: JobKind, activity: Activity, within: "Lease | None"
    ) -> None:
        self._scheduler = scheduler
        self.id, self.kind, self.activity, self.within = number, kind, activity, within
        # Stepped back, or not begun yet: another job has the receiver.
        self.waits = False
        # Needs nothing more of the receiver, and stays for the answers that are on their way.
        self.is_released = False
        self.ending: Ending | None = None
        self._latest: dict[type[Request], int] = {}
        self._restore: list[Callable[[], None]] = []

    @property
    def is_alive(self) -> bool:
        """True until it has ended."""
        return self.ending is None

    def ask(self, request: Request) -> int:
        """Send a request under this job's number; it makes answers to older ones of its kind stale."""
        if self.ending is not None:
            return 0
        number = self._scheduler.send(request, self)
        self._latest[type(request)] = number
        return number

    def restore_with(self, restore: Callable[[], None]) -> None:
        """Something was changed: how it is set back when the job ends, the last first."""
        self._restore.append(restore)

    def release(self) -> None:
        """End what is under way in the engine; answers are still taken, and others may have the receiver."""
        self.is_released = True
        self._scheduler.stop_requests(self)

    def end(self, how: How = "done", reason: str = "") -> None:
        """Give the receiver back; only the first end counts."""
        self._scheduler.end(self, Ending(how, reason))

    def awaits(self, answer: Answer) -> bool:
        """True of an answer to the latest request of its kind."""
        return self._latest.get(ANSWERS[type(answer)]) == answer.id

    def ancestors(self) -> "tuple[Lease, ...]":
        """The jobs that this one is a part of."""
        return () if self.within is None else (self.within, *self.within.ancestors())

    def put_back(self) -> list[Callable[[], None]]:
        """What sets back all that was changed, to be called in order."""
        steps, self._restore = self._restore[::-1], []
        return steps
