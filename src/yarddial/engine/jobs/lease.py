"""A lease: one job's right to use the receiver, requested once and ended once with a reason."""

from collections.abc import Callable
from typing import Literal, Protocol

import msgspec

from yarddial.engine.commands import Request, Tune
from yarddial.engine.events import ANSWERS, Answer, Event
from yarddial.engine.jobs.table import JobKind

# done: has its answer. failed: could not get one. cancelled: by a person. displaced: by another job. stale: dial or
# yard changed. lost: the receiver is gone. fault: an error of this program.
How = Literal["done", "failed", "cancelled", "displaced", "stale", "lost", "fault"]


class Ending(msgspec.Struct, frozen=True):
    """End of a job, with its reason in a sentence; empty where it was simply done."""

    how: How
    reason: str = ""


class Refusal(msgspec.Struct, frozen=True):
    """Why a job was not begun."""

    reason: str


class Activity(Protocol):
    """The owner of a job. All calls come on the session's thread."""

    def take(self, event: Event) -> None:
        """Process an answer to a request of the lease, or an event of the receiver."""
        ...

    def ended(self, ending: Ending) -> None:
        """Called once when the lease has ended, whoever ended it."""
        ...

    def why_stale(self) -> str:
        """Reason why a change of dial or yard makes the job useless; empty when it does not."""
        ...

    def stepped_back(self) -> None:
        """Called when another job takes the receiver for a while."""
        ...

    def resumed(self) -> None:
        """Called when the receiver is this job's again."""
        ...


class Job:
    """An activity that only needs to hear of its end."""

    def take(self, event: Event) -> None:
        """Ignore an event: this job asked for nothing."""

    def ended(self, ending: Ending) -> None:
        """Nothing is to be done."""

    def why_stale(self) -> str:
        """A plain job is never stale."""
        return ""

    def stepped_back(self) -> None:
        """Nothing is to be done."""

    def resumed(self) -> None:
        """Nothing is to be done."""


class Granter(Protocol):
    """The scheduler as a lease sees it."""

    def send(self, request: Request, lease: "Lease | None") -> int:
        """Send a request under a job's number; returns the request's own."""
        ...

    def refuse(self, lease: "Lease | None", sentence: str) -> int:
        """Refuse a tuning in place of the engine; return the request's number."""
        ...

    def stop_requests(self, lease: "Lease") -> None:
        """Make the engine end everything that runs for a job."""
        ...

    def end(self, lease: "Lease", ending: Ending) -> None:
        """End a lease with a reason."""
        ...


class Lease:
    """Created by the scheduler only. Its number is on every command of the job, and on every answer to it."""

    def __init__(
        self, scheduler: Granter, number: int, kind: JobKind, activity: Activity, within: "Lease | None"
    ) -> None:
        self._scheduler = scheduler
        self.id, self.kind, self.activity, self.within = number, kind, activity, within
        # Waiting while another job has the receiver.
        self.waits = False
        # Needs the receiver no more, and waits for its last answers.
        self.is_released = False
        self.ending: Ending | None = None
        self._latest: dict[type[Request], int] = {}
        self._restore: list[Callable[[], None]] = []

    @property
    def is_alive(self) -> bool:
        """True until it has ended."""
        return self.ending is None

    def ask(self, request: Request) -> int:
        """Send a request under this job's number; answers to older ones of its kind become stale."""
        if self.ending is not None:
            return 0
        number = self._scheduler.send(request, self)
        self._latest[type(request)] = number
        return number

    def refuse_tuning(self, sentence: str) -> int:
        """Refuse this job a tuning without asking the engine; the refusal arrives like the engine's own."""
        if self.ending is not None:
            return 0
        number = self._scheduler.refuse(self, sentence)
        self._latest[Tune] = number
        return number

    def restore_with(self, restore: Callable[[], None]) -> None:
        """Register how a change is undone when the job ends; the last change is undone first."""
        self._restore.append(restore)

    def release(self) -> None:
        """End what runs in the engine; answers are still taken, and others may have the receiver."""
        self.is_released = True
        self._scheduler.stop_requests(self)

    def end(self, how: How = "done", reason: str = "") -> None:
        """Give the receiver back; only the first call counts."""
        self._scheduler.end(self, Ending(how, reason))

    def awaits(self, answer: Answer) -> bool:
        """Return True for an answer to the latest request of its kind."""
        return self._latest.get(ANSWERS[type(answer)]) == answer.id

    def ancestors(self) -> "tuple[Lease, ...]":
        """Jobs of which this one is a part."""
        return () if self.within is None else (self.within, *self.within.ancestors())

    def put_back(self) -> list[Callable[[], None]]:
        """Functions that undo all changes, in order of calling."""
        steps, self._restore = self._restore[::-1], []
        return steps
