"""The scheduler: grants the receiver, and ends every job once, with a reason.

A job needs a lease of a kind from the table. All commands leave and all events arrive here, so that an answer reaches
only the job that asked.
"""

from collections import deque
from collections.abc import Callable

import msgspec

from yarddial.engine.commands import Cancel, Command, OnTuning, Request, Tune
from yarddial.engine.events import Answer, Event, Failed, JobFailed, Stopped, TuneRefused
from yarddial.engine.jobs.lease import Activity, Ending, Lease, Refusal
from yarddial.engine.jobs.table import RULES, JobKind
from yarddial.engine.link import EngineLink
from yarddial.yard.fault_log import log_fault

# Number of ended jobs remembered.
MAX_HISTORY = 200
PERSON_STOPPED = "the receiver was stopped"


class Scheduler:
    """Commands and events of the engine, and the leases."""

    def __init__(self, link: EngineLink) -> None:
        self._link = link
        self._number = 0
        # Id of the latest requested tuning.
        self._tuning_id = 0
        self._leases: list[Lease] = []
        self._observers: list[Callable[[Event], None]] = []
        self._listeners: list[Callable[[], None]] = []
        self._is_changed = False
        self._is_closed = False
        # Refusals that the session itself decided on; delivered with the engine's events.
        self._refusals: list[TuneRefused] = []
        self._at_rest: list[Callable[[], None]] = []
        # Latest endings: kind and reason.
        self.history: deque[tuple[JobKind, Ending]] = deque(maxlen=MAX_HISTORY)

    # Asking

    def why_not(self, kind: JobKind, within: Lease | None = None) -> str:
        """Reason why a job cannot begin now; empty when it can."""
        if self._is_closed:
            return "the window was closed"
        for lease in self._others(within):
            if RULES[lease.kind.nature, kind.nature] == "refused":
                return self._topmost(lease).kind.under_way
        return ""

    def request(self, kind: JobKind, activity: Activity, within: Lease | None = None) -> Lease | Refusal:
        """Request the receiver for a job, alone or as a part of another.

        Returns a lease, which may have to wait, or a refusal. `waits` is set before anybody is notified.
        """
        if within is not None and not within.is_alive:
            return Refusal("what it is a part of has ended")
        if why_not := self.why_not(kind, within):
            return Refusal(why_not)
        self._number += 1
        lease = Lease(self, self._number, kind, activity, within)
        outcomes = [(other, RULES[other.kind.nature, lease.kind.nature]) for other in self._others(within)]
        lease.waits = any(outcome == "waits" for _, outcome in outcomes)
        self._leases.append(lease)
        for other, outcome in outcomes:
            if outcome == "displaces":
                self.end(other, Ending("displaced", f"{lease.kind.label} took its place"))
            elif outcome == "yields" and not other.waits:
                other.waits = True
                self._guarded(other, other.activity.stepped_back)
        self._is_changed = True
        return lease

    def send(self, request: Request, lease: Lease | None) -> int:
        """Send a request under a job's number, or 0; return the request's own number.

        A request for samples names the latest requested tuning; the engine refuses it on any other.
        """
        self._number += 1
        job = lease.id if lease is not None else 0
        if isinstance(request, Tune):
            self._tuning_id = self._number
        if isinstance(request, OnTuning):
            request = msgspec.structs.replace(request, tuning=self._tuning_id)
        self._link.send(msgspec.structs.replace(request, job=job, id=self._number))  # type: ignore[arg-type]
        return self._number

    def refuse(self, lease: Lease | None, sentence: str) -> int:
        """Refuse a tuning in place of the engine, which is not asked; return the request's number.

        The refusal arrives with the next poll, as the engine's own would. Requests for samples of it are refused too.
        """
        self._number += 1
        self._tuning_id = self._number
        self._refusals.append(TuneRefused(sentence, job=lease.id if lease is not None else 0, id=self._number))
        return self._number

    def command(self, command: Command) -> None:
        """Send a command that belongs to no job: start, stop, and how the picture is drawn."""
        self._link.send(command)

    def next_number(self) -> int:
        """Next unique number."""
        self._number += 1
        return self._number

    # Who has it

    @property
    def leases(self) -> tuple[Lease, ...]:
        """All that have not ended."""
        return tuple(self._leases)

    @property
    def owner(self) -> Lease | None:
        """Job shown as the receiver's user: a person's work, else listening or recording."""
        for natures in (("work", "device"), ("record",), ("listen",)):
            for lease in self._leases:
                if lease.kind.nature in natures and not lease.waits and not lease.is_released:
                    return self._topmost(lease)
        return None

    @property
    def hears_transmissions(self) -> bool:
        """True while a job listens to the person's own transmitter."""
        return any(lease.kind.hears_transmissions for lease in self._leases)

    @property
    def tuner(self) -> Lease | None:
        """Job that may tune the receiver; None leaves tuning to the dial."""
        able = [lease for lease in self._leases if lease.kind.tunes and not lease.waits and not lease.is_released]
        return able[-1] if able else None

    def may_tune(self, lease: Lease | None) -> bool:
        """True for the tuning job, and for the dial without one."""
        return self.tuner is lease

    def retry(self) -> None:
        """After a start, let the listening job or else the dial tune the receiver again."""
        tuner = self.tuner
        if tuner is None:
            self._rest()
        elif tuner.kind.nature == "listen":
            self._guarded(tuner, tuner.activity.resumed)

    def on_jobs_changed(self, listener: Callable[[], None]) -> Callable[[], None]:
        """Register a listener for jobs that begin, step back or end; called once per poll."""
        self._listeners.append(listener)
        return lambda: self._listeners.remove(listener) if listener in self._listeners else None

    def on_rest(self, listener: Callable[[], None]) -> None:
        """Register a listener for the moment when tuning returns to the dial."""
        self._at_rest.append(listener)

    def _rest(self) -> None:
        for listener in self._at_rest:
            self._guarded(None, listener)

    def on_event(self, observer: Callable[[Event], None]) -> None:
        """Register an observer that sees every event before the jobs do."""
        self._observers.append(observer)

    # Ending

    def cancel(self, lease: Lease, reason: str = "cancelled") -> None:
        """Cancel a job for the person."""
        self.end(lease, Ending("cancelled", reason))

    def cancel_all(self, reason: str = "cancelled") -> None:
        """Cancel all work; listening, recording and following continue."""
        for lease in tuple(self._leases):
            if lease.kind.nature in ("work", "device", "glance") and self._topmost(lease) is lease:
                self.cancel(lease, reason)

    def end_all(self, reason: str) -> None:
        """End everything for good; later requests are refused."""
        self._is_closed = True
        for lease in tuple(self._leases):
            self.cancel(lease, reason)

    def end_for_stop(self, reason: str = PERSON_STOPPED) -> None:
        """End jobs before the receiver stops, so that none waits for an answer that may never come.

        Recordings are completed first: they end with the engine's confirmation, or with its end.
        """
        for lease in tuple(self._leases):
            if lease.kind.nature in ("work", "glance"):
                self.end(lease, Ending("cancelled", reason))

    def end(self, lease: Lease, ending: Ending) -> None:
        """End a lease and its parts; undo its changes, and resume the jobs that stepped back."""
        if lease.ending is not None:
            return
        lease.ending = ending
        for part in tuple(self._leases):
            if part.within is lease:
                self.end(part, ending if ending.how != "done" else Ending("cancelled", f"{lease.kind.label} has ended"))
        self._leases.remove(lease)
        self.history.append((lease.kind, ending))
        if ending.how == "lost":
            lease.is_released = True
        else:
            self.stop_requests(lease)
        self._guarded(None, lambda: lease.activity.ended(ending))
        for step in lease.put_back():
            self._guarded(None, step)
        self._resume(lease)
        self._is_changed = True

    def stop_requests(self, lease: Lease) -> None:
        """Make the engine end everything that runs for a job."""
        self._link.send(Cancel(lease.id))

    def check_stale(self) -> None:
        """End jobs that a change of dial or yard made useless."""
        for lease in tuple(self._leases):
            if lease.is_alive and (why := self._why_stale(lease)):
                self.end(lease, Ending("stale", why))

    # Hearing

    def poll(self) -> bool:
        """Process the engine's events; True when there were any."""
        refusals, self._refusals = self._refusals, []
        events = [*refusals, *self._link.poll()]
        for event in events:
            for observer in self._observers:
                self._guarded(None, lambda observer=observer, event=event: observer(event))  # type: ignore[misc]
            self._pass_on(event)
        if self._is_changed:
            self._is_changed = False
            for listener in tuple(self._listeners):
                self._guarded(None, listener)
        return bool(events)

    def _pass_on(self, event: Event) -> None:
        if isinstance(event, JobFailed):
            log_fault(f"{event.why}:\n{event.details}", None)
            for lease in tuple(self._leases):
                if lease.id == event.job and lease.is_alive:
                    self.end(lease, Ending("fault", event.why))
        elif isinstance(event, Answer):
            for lease in tuple(self._leases):
                if lease.id == event.job and lease.awaits(event):
                    self._guarded(lease, lambda: lease.activity.take(event))  # noqa: B023
        elif isinstance(event, Failed):
            log_fault(f"{event.what}:\n{event.details}", None)
        elif isinstance(event, Stopped):
            self._stopped(event)

    def _stopped(self, event: Stopped) -> None:
        """End everything that needs the receiver; listeners wait for the next start."""
        reason = event.reason or PERSON_STOPPED
        for lease in tuple(self._leases):
            if not lease.is_alive:
                continue
            self._guarded(lease, lambda: lease.activity.take(event))  # noqa: B023
            if not event.replaced and not lease.kind.outlives:
                self.end(lease, Ending("lost", reason))

    # Inside

    def _others(self, within: Lease | None) -> list[Lease]:
        """All leases except the ancestors of the new job."""
        mine = (within, *within.ancestors()) if within is not None else ()
        return [lease for lease in self._leases if lease not in mine and not lease.is_released]

    def _topmost(self, lease: Lease) -> Lease:
        """Outermost of nested jobs, except those inside Listen."""
        while lease.within is not None and lease.within.kind.nature != "listen":
            lease = lease.within
        return lease

    def _resume(self, ended: Lease) -> None:
        """Resume waiting jobs; without a tuning job the receiver returns to the dial."""
        for lease in tuple(self._leases):
            if lease.waits and lease.is_alive and not self._must_wait(lease):
                lease.waits = False
                self._guarded(lease, lease.activity.resumed)
        if ended.kind.tunes and self.tuner is None:
            self._rest()

    def _must_wait(self, lease: Lease) -> bool:
        others = [other for other in self._others(None) if other is not lease]
        return any(
            RULES[other.kind.nature, lease.kind.nature] == "waits" and lease not in other.ancestors()
            for other in others
        )

    def _why_stale(self, lease: Lease) -> str:
        try:
            return lease.activity.why_stale()
        except Exception as fault:
            log_fault(f"{lease.kind.label} failed", fault)
            return "a fault of the program"

    def _guarded(self, lease: Lease | None, act: Callable[[], None]) -> None:
        """Log and report an error, and end only the job that caused it."""
        try:
            act()
        except Exception as fault:
            what = lease.kind.label if lease is not None else "the program"
            log_fault(f"{what} failed", fault)
            if lease is not None:
                self.end(lease, Ending("fault", f"a fault of the program ({type(fault).__name__})"))
