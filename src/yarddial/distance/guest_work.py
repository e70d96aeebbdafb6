"""Engine work for guests: each job under a number of its own, within the guest's rights; and its answers."""

from collections.abc import Callable
from pathlib import Path

import msgspec

from yarddial.distance import far_computer
from yarddial.distance.far_check import MAX_STATION, CheckReceiver, CheckRun, CheckTold, EndCheck
from yarddial.distance.guest import Guest, in_numbers_of
from yarddial.distance.recording_shelf import MIN_FREE_GB, RecordingShelf
from yarddial.drivers.protocol import FoundReceiver
from yarddial.engine.commands import (
    Cancel,
    Clean,
    Command,
    Follow,
    Hear,
    Measure,
    OnTuning,
    Quit,
    RecordSamples,
    Request,
    SendChannel,
    SetSafeguards,
    Show,
    Start,
    Stop,
    Sweep,
    Tune,
)
from yarddial.engine.events import Answer, Event, RecordingState, Started, Stopped, refusal_of
from yarddial.engine.link import EngineLink
from yarddial.yard.errors import YardDialError

# Number of a guest's jobs that are remembered.
MAX_JOBS = 2_000
BeginCheck = Callable[[str, str, str], CheckRun]


class GuestWork:
    """Uses the engine for guests.

    A guest's data are only data: no path, name or command of it is used. Which receivers may be started, whether a line
    is fed, and where recordings lie are decided by this computer.

    check : begins First light of an offered address, with a station file's text and one of its routes.
    """

    def __init__(self, engine: EngineLink, shelf: RecordingShelf, check: BeginCheck | None) -> None:
        self._engine, self._shelf, self._check = engine, shelf, check
        # Owner of each engine job, and the owner's number for it.
        self.jobs: dict[int, tuple[Guest, int]] = {}
        self._number = 0
        # Those of them that record.
        self._records: set[int] = set()
        # First light in progress: its owner, the owner's number, and the run.
        self._run: tuple[Guest, int, CheckRun] | None = None
        # Receivers that may be started, by address, as last found; and the running one.
        self.offered: tuple[tuple[str, FoundReceiver], ...] = ()
        self.started: Started | None = None

    @property
    def is_checking(self) -> bool:
        """True while First light runs for a guest."""
        return self._run is not None

    def do(self, guest: Guest, command: Command | CheckReceiver | EndCheck) -> None:
        """Execute a command of a guest, within its rights."""
        match command:
            case CheckReceiver():
                self._begin_check(guest, command)
            case EndCheck():
                self._end_check(guest)
            case Quit():
                return
            case Start():
                self._start(guest, command)
            case Cancel():
                if command.job in guest.jobs:
                    self._engine.send(Cancel(guest.jobs[command.job]))
            case SetSafeguards():
                wanted = msgspec.structs.replace(command.wanted, feeds=frozenset())
                self._engine.send(SetSafeguards(guest.engine_number(command.id), wanted))
            case Stop() | Show():
                self._engine.send(command)
            case Hear() if command.settings.demodulation != "wfm":
                heard = SendChannel(command.hear_hz, command.settings, job=self._job(guest, command), id=command.id)
                self._engine.send(heard)
            case RecordSamples():
                self._record(guest, command)
            case Tune() | Measure() | Follow() | Hear() | SendChannel() | Clean() | Sweep():
                self._send_numbered(guest, command)

    def _start(self, guest: Guest, command: Start) -> None:
        """Start an offered receiver, without bias: feeding a line is up to the owner."""
        if command.address not in {address for address, _ in self.offered}:
            guest.tell(Stopped("the far computer offers no such receiver: choose another", error="DeviceNotFound"))
            return
        if self.is_checking:
            guest.tell(Stopped("the receiver is being checked there: wait until that is over", error="DeviceBusy"))
            return
        self._engine.send(Start(command.address, msgspec.structs.replace(command.safeguards, feeds=frozenset())))

    def _send_numbered(self, guest: Guest, request: Request) -> None:
        if isinstance(request, Tune):
            request = msgspec.structs.replace(request, id=guest.engine_number(request.id))
        if isinstance(request, OnTuning):
            request = msgspec.structs.replace(request, tuning=guest.engine_number(request.tuning))
        self._engine.send(msgspec.structs.replace(request, job=self._job(guest, request)))  # type: ignore[arg-type]

    def _job(self, guest: Guest, request: Request) -> int:
        """Engine number for a guest's job; 0 stays 0, but is remembered as this guest's."""
        if request.job not in guest.jobs:
            if len(guest.jobs) >= MAX_JOBS:
                self.jobs.pop(guest.jobs.pop(next(iter(guest.jobs))), None)
            self._number += 1
            guest.jobs[request.job] = self._number
            self.jobs[self._number] = (guest, request.job)
        return guest.jobs[request.job]

    def _record(self, guest: Guest, command: RecordSamples) -> None:
        """Record under a name of this computer's, as long as there is room."""
        free_gb = far_computer.free_gb(self._shelf.folder.parent)
        try:
            path = self._shelf.new_path(guest.who)
        except OSError as error:
            why = f"the far computer cannot write: {error.strerror}"
        else:
            why = f"the disk there has {free_gb:.1f} GB left: make room" if 0 <= free_gb < MIN_FREE_GB else ""
        if why:
            guest.tell(RecordingState("", 0.0, True, why, job=command.job, id=command.id))
            return
        self._records.add(self._job(guest, command))
        self._send_numbered(guest, msgspec.structs.replace(command, path=str(path)))

    def spare_disk(self, free_gb: float) -> None:
        """End recordings when little disk space is left for the owner."""
        if 0 <= free_gb < MIN_FREE_GB:
            for job in self._records:
                self._engine.send(Cancel(job))

    def _begin_check(self, guest: Guest, asked: CheckReceiver) -> None:
        """Begin First light; everybody else leaves the receiver."""
        why = ""
        if asked.address not in {address for address, _ in self.offered} or self._check is None:
            why = "the far computer offers no such receiver: choose another"
        elif self.is_checking:
            why = "another check runs there: wait until it is over"
        elif len(asked.station) > MAX_STATION:
            why = "the yard is too large to be sent for a check: check it there, with 'yard-dial check'"
        run: CheckRun | None = None
        if not why and self._check is not None:
            self._engine.send(Stop())
            try:
                run = self._check(asked.address, asked.station, asked.route)
            except YardDialError as error:
                why = f"the yard that was sent cannot be read there: {error}"
        if run is None:
            guest.tell_once(CheckTold(asked.number, (), is_done=True, why=why))
        else:
            self._run = (guest, asked.number, run)

    def _end_check(self, guest: Guest) -> None:
        if self._run is not None and self._run[0] is guest:
            self._run[2].cancel()
            self._run = None

    def poll(self) -> None:
        """Report new results of First light."""
        if self._run is None:
            return
        guest, number, run = self._run
        check_results = tuple(run.poll())
        if not run.running:
            self._run = None
        if check_results or self._run is None:
            guest.tell_once(CheckTold(number, check_results, is_done=self._run is None))

    def answer(self, event: Event) -> None:
        """Pass an answer to its owner, under the owner's number."""
        owner = self.jobs.get(event.job) if isinstance(event, Answer) else None
        if owner is None:
            return
        guest, job = owner
        if isinstance(event, RecordingState):
            # Remove this computer's paths.
            trouble = event.trouble.replace(f"{self._shelf.folder}/", "")
            if event.is_done:
                self._records.discard(event.job)
            event = msgspec.structs.replace(event, path=Path(event.path).stem, trouble=trouble)
        guest.tell(in_numbers_of(guest, msgspec.structs.replace(event, job=job)))

    def end_all_of(self, guest: Guest) -> None:
        """End all work of a guest."""
        self._end_check(guest)
        for number in guest.jobs.values():
            self.jobs.pop(number, None)
            self._engine.send(Cancel(number))

    def close(self) -> None:
        """End the engine and what runs beside it."""
        if self._run is not None:
            self._end_check(self._run[0])
        self._engine.close()

    def refuse(self, guest: Guest, command: Command | CheckReceiver | EndCheck, why: str) -> None:
        """Refuse a command with its reason."""
        if (answer := refusal_of(command, why)) is not None:
            guest.tell(answer)
            return
        match command:
            case CheckReceiver():
                guest.tell_once(CheckTold(command.number, (), is_done=True, why=why))
            case Start():
                if self.started is not None:
                    guest.tell(self.started)
                else:
                    guest.tell(Stopped(why))
            case _:
                pass
