"""Frozen summary of everything that the window shows, computed at most once per poll."""

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.finding import Finding
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.overview.findings import findings
from yarddial.session.overview.topics import Topics
from yarddial.session.overview.verdicts import all_quiet, all_verdicts
from yarddial.session.verdict import Verdict
from yarddial.yard.errors import YardDialError

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.session.calibration.correction import CorrectionProposal


class Owner(msgspec.Struct, frozen=True):
    """The receiver's user: its name, who waits for it, and whether a person can stop it here.

    lease_id : of its job; 0 without one.
    """

    label: str = ""
    waiting: str = ""
    lease_id: int = 0
    can_be_stopped: bool = False


class State(msgspec.Struct, frozen=True):
    """What is shown around the place: verdicts, findings, the correction to enter, the receiver's user.

    quiet : text shown without findings.
    """

    verdicts: Mapping[str, Verdict] = {}
    findings: tuple[Finding, ...] = ()
    proposal: "CorrectionProposal | None" = None
    owner: Owner = Owner()
    quiet: str = ""


class Overview:
    """Becomes outdated when a topic changes; computes nothing otherwise."""

    def __init__(self, of: Topics, jobs: Scheduler, tellers: Iterable[Callable[[Listener], object]]) -> None:
        """tellers : every `on_x_changed` that may change what is shown."""
        self._of, self._jobs = of, jobs
        self._changed, self._stale = Listeners(), Listeners()
        self._is_stale = True
        self.state = State()
        # A sentence about an inconsistent yard; the former state stays.
        self.trouble = ""
        for tell in tellers:
            tell(self.forget)

    def on_state_changed(self, listener: Listener) -> Callable[[], None]:
        """Listen for a changed `state`."""
        return self._changed.add(listener)

    def on_stale(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for changes that call for a poll."""
        return self._stale.add(listener)

    def refresh(self) -> None:
        """Recompute where something has changed; called once per poll."""
        if not self._is_stale:
            return
        self._is_stale = False
        try:
            verdicts = all_verdicts(self._of)
            quiet = all_quiet(self._of.desk.station, verdicts)
            proposal = self._of.calibration.proposal()
            now = State(verdicts, findings(self._of), proposal, self._owner(), quiet)
        except YardDialError as error:
            self.trouble = str(error)
            self._changed.tell()
            return
        if now != self.state or self.trouble:
            self.state, self.trouble = now, ""
            self._changed.tell()

    def forget(self) -> None:
        """Mark the overview as outdated; the next poll computes it."""
        if not self._is_stale:
            self._is_stale = True
            self._stale.tell()

    def _owner(self) -> Owner:
        lease = self._jobs.owner
        if lease is None:
            return Owner()
        waiting = next((other.kind.label for other in self._jobs.leases if other.waits), "")
        return Owner(lease.kind.label, waiting, lease.id, lease.kind.nature in ("work", "device", "record"))
