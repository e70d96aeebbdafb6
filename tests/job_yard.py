"""A session whose receiver costs nothing, with a way to begin every job of the table: for jobs against jobs."""

import itertools
import json
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from rig_yard import ScriptedRig
from slow_yards import slow_station
from yarddial.drivers.protocol import ActualSettings, Block, Capabilities, Device, GainCapability, RequestedSettings
from yarddial.engine.commands import Command, RecordSamples, Start, Tune
from yarddial.engine.engine import Engine
from yarddial.engine.events import Answer, Event, SafeguardsSet, Stopped, Tuned
from yarddial.engine.jobs.lease import Activity, Ending, Lease, Refusal
from yarddial.engine.jobs.table import JobKind
from yarddial.engine.tuning import Tuning
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedObservation
from yarddial.session.activities import Room, rooms
from yarddial.session.first_light.result import CheckResult
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.session import Session
from yarddial.session.spurious.span_recording import SpanSetting
from yarddial.yard.demo import VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.errors import CannotTune, DeviceLost, YardDialError
from yarddial.yard.observation import Observation
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.shared_sockets import moves_for
from yarddial.yard.station import Station

BLOCK = 4_096
_chance = np.random.default_rng(5)
NOISE = (_chance.standard_normal((2, BLOCK)) * 0.02).astype(np.float32)
SAMPLES = (NOISE[0] + 1j * NOISE[1] + 0.2 * np.exp(2j * np.pi * 0.11 * np.arange(BLOCK))).astype(np.complex64)


class PlainDevice:
    """What a receiver of the demo yard can be set to, and the same block of noise and one line again and again."""

    # Where the centre really goes, hertz apart; and every which tuning is refused, 0 for none.
    step_hz, refuses_every = 0.0, 0

    def __init__(self, name: str, seen: list[tuple[str, RequestedSettings]]) -> None:
        part = next(
            line.receiver
            for line in slow_station().resolved_routes()
            if line.receiver.device.partition("?")[0] == f"simulated:{name}"
        )
        gains = tuple(GainCapability(stage.name, tuple(sorted(stage.steps_db))) for stage in part.gain_stages)
        self.capabilities = Capabilities(name, ((0.0, 3e9),), part.rates_hz, (), part.bits, gains=gains)
        self._name, self._seen, self._index = name, seen, 0
        self.fails, self.is_open = False, True
        self._applied = 0
        self._samples = SAMPLES

    def apply(self, ask: RequestedSettings) -> ActualSettings:
        """Whatever is asked, as near as it can."""
        if self.fails:
            raise DeviceLost("it was unplugged: plug it in")
        self._applied += 1
        if self.refuses_every and self._applied % self.refuses_every == 0:
            raise CannotTune(f"cannot tune to {ask.centre_hz:.0f} Hz just now: choose another place")
        self._seen.append((self._name, ask))
        self._index = 0
        centre_hz = round(ask.centre_hz / self.step_hz) * self.step_hz if self.step_hz else ask.centre_hz
        self._samples = self.received(centre_hz, ask.rate_hz)
        return ActualSettings(centre_hz, ask.rate_hz, ask.port, gains_db=ask.gains_db, bias=ask.bias)

    def received(self, centre_hz: float, rate_hz: float) -> NDArray[np.complex64]:
        """The block that it gives there."""
        return SAMPLES

    def read(self) -> Block:
        """The next block."""
        self._index += BLOCK
        return Block(self._samples, self._index - BLOCK)

    def close(self) -> None:
        """Nothing to give back."""
        self.is_open = False


class StubbornDevice(PlainDevice):
    """Goes where its synthesizer can, refuses every tenth tuning, and receives lines whose places are known.

    A line stands wherever the yard knows a station over some route, on the nearest whole bin of a block from the
    centre that the device really has: so a frequency that was got from any other centre is not a whole bin away.
    """

    step_hz, refuses_every = 50e3, 10

    def received(self, centre_hz: float, rate_hz: float) -> NDArray[np.complex64]:
        """Noise, and every line of the span."""
        turns = np.arange(BLOCK) / BLOCK
        samples = (NOISE[0] + 1j * NOISE[1]).astype(np.complex128)
        for hertz in STATION_LINES_HZ:
            place = round((hertz - centre_hz) / rate_hz * BLOCK)
            if abs(place) < BLOCK / 2:
                samples += 0.1 * np.exp(2j * np.pi * place * turns)
        return samples.astype(np.complex64)


STATION_LINES_HZ = sorted(
    {
        line.counted_hz(reference.frequency_hz)
        for line in slow_station().resolved_routes()
        for reference in slow_station().references
        if not line.why_not(reference.frequency_hz)
    }
)


class KillableEngine:
    """The engine in this process, which can be killed like one of its own: nothing is heard then but its end.

    late : polls that everything it says is on its way.
    """

    def __init__(
        self, open_device: Callable[[str], Device], asked: Callable[[Command], None], *, late: int = 0
    ) -> None:
        self._open, self._asked, self._late = open_device, asked, late
        self._engine: Engine | None = None
        self._events: list[Event] = []
        self._on_the_way: deque[list[Event]] = deque([[] for _ in range(late)])
        # What it has acknowledged, in order.
        self.acknowledged: list[Tuning] = []

    def send(self, command: Command) -> None:
        """Only a start begins an engine where there is none."""
        self._asked(command)
        if self._engine is None and isinstance(command, Start):
            self._engine = Engine(self._open, self._events.append)
        if self._engine is not None:
            self._engine.handle(command)

    def poll(self) -> list[Event]:
        """One block, and what came of it."""
        if self._engine is not None:
            self._engine.step()
        events, self._events[:] = list(self._events), []
        for event in events:
            if isinstance(event, Tuned):
                self.acknowledged.append(event.tuning)
            if isinstance(event, SafeguardsSet) and event.tuning is not None:
                self.acknowledged.append(event.tuning)
        self._on_the_way.append(events)
        return self._on_the_way.popleft()

    def kill(self) -> None:
        """What it had to say is lost with it."""
        if self._engine is not None:
            self._engine = None
            self._on_the_way = deque([[] for _ in range(self._late)])
            self._events[:] = [Stopped("the receiver's process ended unexpectedly: press Space to start it again")]

    def warm(self) -> None:
        """Nothing."""

    def close(self) -> None:
        """Nothing."""
        self._engine = None


class Watched:
    """An activity with somebody who counts what it hears."""

    def __init__(self, activity: Activity, yard: "JobYard") -> None:
        self._activity, self._yard = activity, yard
        self.lease: Lease | None = None

    def __getattr__(self, name: str) -> object:
        return getattr(self._activity, name)

    def take(self, event: Event) -> None:
        """Never an answer to somebody else."""
        if isinstance(event, Answer) and self.lease is not None and event.job != self.lease.id:
            self._yard.wrong.append(f"{self.lease.kind.name} was given {event!r}")
        if self.lease is not None and self.lease.ending is not None:
            self._yard.wrong.append(f"{self.lease.kind.name} was given {type(event).__name__} after its end")
        self._activity.take(event)

    def ended(self, ending: Ending) -> None:
        """Once."""
        assert self.lease is not None
        self._yard.endings.setdefault(self.lease.id, []).append(ending)
        self._activity.ended(ending)


class Book:
    """A log in memory."""

    path = Path("nowhere.sqlite")
    remark = ""

    def __init__(self) -> None:
        self.unreadable: dict[int, object] = {}
        self.kept: list[Entry] = []

    def add(self, entry: Entry) -> Entry:
        """Keep it."""
        self.kept.insert(0, msgspec.structs.replace(entry, id=len(self.kept) + 1))
        return self.kept[0]

    def amend(self, entry: Entry) -> None:
        """In its place."""
        self.kept = [entry if one.id == entry.id else one for one in self.kept]

    def entries(
        self, kind: str = "", station: str = "", limit: int = 10_000, *, before_id: int = 0, since_utc: str = ""
    ) -> tuple[Entry, ...]:
        """Newest first."""
        return tuple(entry for entry in self.kept if kind in ("", entry.kind))[:limit]

    def search(self, words: str, limit: int = 200, before_id: int = 0) -> tuple[Entry, ...]:
        """Whatever the words are."""
        return tuple(self.kept)

    def of_oscillators(self, station: str, names: Sequence[str]) -> tuple[Entry, ...]:
        """All of them."""
        return tuple(self.kept)

    def of_places(self, station: str) -> tuple[Entry, ...]:
        """All of them."""
        return tuple(self.kept)

    def count(self) -> int:
        """How many."""
        return len(self.kept)

    def examined(self, first_id: int = 0) -> Iterator[int]:
        """Nothing can be wrong with it."""
        return iter(())

    def close(self) -> None:
        """Nothing to close."""


class EndlessRunner:
    """First light that takes as long as the test lets it."""

    def __init__(self) -> None:
        self.running = True

    def poll(self) -> list[CheckResult]:
        """Nothing yet."""
        return []

    def cancel(self) -> None:
        """End."""
        self.running = False


class JobYard:
    """The session, and what is known of its jobs."""

    def __init__(self, folder: Path, *, is_stubborn: bool = False, station: Station | None = None) -> None:
        """is_stubborn : its receiver goes elsewhere than asked, refuses every tenth tuning, and answers late."""
        self.folder, self.is_stubborn = folder, is_stubborn
        self._station = station or slow_station()
        self.book = Book()
        self.applied: list[tuple[str, RequestedSettings]] = []
        self.devices: list[PlainDevice] = []
        self.wrong: list[str] = []
        # Routes as they were when a recording was asked for, by the file's name.
        self.recorded: dict[str, ResolvedRoute] = {}
        self.endings: dict[int, list[Ending]] = {}
        self.granted: list[Lease] = []
        self.session: Session | None = None  # type: ignore[assignment]
        self.engine = self._make_engine()
        self.session = self._made()
        # A second tells as much as a test of jobs needs.
        self.session.calibration.chosen_s = 1.0
        self.session.poll()
        self.session.toggle_receiver()
        self.settle()
        self.before = self.state()
        self._numbers = itertools.count()

    def _open(self, address: str) -> Device:
        made = StubbornDevice if self.is_stubborn else PlainDevice
        self.devices.append(made(address.partition(":")[2].partition("?")[0], self.applied))
        return self.devices[-1]

    def _see(self, command: Command) -> None:
        """Nobody sets the receiver but who has it, or the dial where nobody does."""
        if isinstance(command, RecordSamples):
            desk = self.session.desk
            self.recorded[f"{Path(command.path).name}.sigmf-meta"] = desk.route.at(desk.station.dial_hz)
        if isinstance(command, Tune) and self.session is not None:
            tuner = next((lease for lease in reversed(self.session.jobs.leases) if _tunes(lease)), None)
            if command.job != (tuner.id if tuner is not None else 0):
                self.wrong.append(
                    f"{tuner.kind.name if tuner else 'the dial'} had the receiver, job {command.job} set it"
                )

    def _make_engine(self) -> KillableEngine:
        return KillableEngine(self._open, self._see, late=3 if self.is_stubborn else 0)

    def _plain_session(self) -> Session:
        return Session(self._station, self.engine, lambda: self.book, begin_check=lambda *_: EndlessRunner())

    def _made(self) -> Session:
        session = self._plain_session()
        request = session.jobs.request

        def watched(kind: JobKind, activity: Activity, within: Lease | None = None) -> Lease | Refusal:
            watcher = Watched(activity, self)
            found = request(kind, watcher, within)  # type: ignore[arg-type]
            if isinstance(found, Lease):
                watcher.lease = found
                self.granted.append(found)
            return found

        session.jobs.request = watched  # type: ignore[method-assign]
        return session

    def polls(self, count: int) -> None:
        """Go on so far."""
        for _ in range(count):
            self.session.poll()

    def settle(self) -> None:
        """Until the receiver looks where it is to look."""
        for _ in range(50):
            self.session.poll()
            if self.session.live_receiver.is_tuned:
                return

    def state(self) -> tuple[object, ...]:
        """How the receiver is set, and where the dial stands."""
        desk = self.session.desk.station
        return (*self.applied[-1], desk.dial_hz, desk.route, desk.mode, desk.held)

    def under_way(self) -> list[str]:
        """What says of itself that it goes on."""
        return [
            type(activity).__name__
            for declaration, activity in self.session.made_rooms()
            if declaration.kinds and declaration.is_under_way(activity)
        ]

    def begin(self, name: str) -> None:
        """Begin a job as the window would; a refusal is what it is."""
        try:
            BEGIN[name](self)
        except YardDialError:
            return

    def still_under_way_without_receiver(self) -> list[str]:
        """Jobs that did not notice that there is no receiver any more."""
        if self.session.live_receiver.wanted:
            return []
        return [
            f"{one.kind.name} goes on without a receiver" for one in self.session.jobs.leases if not one.kind.outlives
        ]

    def let_go(self) -> None:
        """As a person who stops everything: works, recording, Listen, following."""
        s = self.session
        s.jobs.cancel_all()
        s.listening.close()
        s.crystal_follower.follow(False)
        for lease in s.jobs.leases:
            if lease.kind.nature == "recurring":
                s.stop_job(lease)
        # What the receiver has to say of it is on its way for so long.
        self.polls(5)

    def faults(self) -> list[str]:
        """What is not as it should be once everything was let go."""
        found = list(self.wrong)
        found += [f"{name} is under way" for name in self.under_way()]
        found += [f"{lease.kind.name} holds a lease" for lease in self.session.jobs.leases]
        for lease in self.granted:
            ends = self.endings.get(lease.id, [])
            if len(ends) != 1 or not (ends[0].reason or ends[0].how == "done"):
                found.append(f"{lease.kind.name} ended {ends}")
        if not self.session.jobs.may_tune(None):
            found.append("nobody may tune")
        return found

    def not_acknowledged(self) -> list[str]:
        """Pictures, log entries and files that rest on something else than what the receiver said it had done."""
        made = self.engine.acknowledged
        found = [
            f"a picture rests on tuning {columns.tuning}"
            for columns in self.session.live_receiver.picture.dial_columns
            if columns.tuning not in {tuning.id for tuning in made}
        ]
        centres = {(tuning.centre_hz, tuning.rate_hz) for tuning in made}
        for entry in self.session.log.entries():
            logged = getattr(entry.data, "tuning", None)
            if logged is None:
                continue
            if (logged.centre_hz, logged.rate_hz) not in centres:
                found.append(f"'{entry.text}' rests on a centre of {logged.centre_hz:.0f} Hz")
            if self.is_stubborn and isinstance(entry.data, LoggedObservation):
                bin_hz = logged.rate_hz / BLOCK
                bins = (counted_hz(entry.data.observation) - logged.centre_hz) / bin_hz
                if abs(bins - round(bins)) > 0.05:
                    found.append(
                        f"'{entry.text}' lies {bins:.3f} bins from the centre, where lines stand on whole ones"
                    )
        for file in self.folder.glob("r*.sigmf-meta"):
            # One without a route was made by a yard before this one, in the same folder.
            if (line := self.recorded.get(file.name)) is not None:
                capture = json.loads(file.read_text())["captures"][0]
                found += _wrong_file(capture, line, {one for one, _ in centres})
            file.unlink()
        return found

    def has_come_back(self) -> list[str]:
        """The receiver, started again if need be, is set as before."""
        for _ in range(2):
            if self.is_stubborn and self.session.live_receiver.wanted and not self.session.live_receiver.is_tuned:
                # It had refused; a person starts it again.
                self.session.toggle_receiver()
            if not self.session.live_receiver.wanted:
                self.session.toggle_receiver()
            self.settle()
        if not self.session.live_receiver.is_tuned:
            return ["the receiver looks nowhere"]
        now = self.state()
        return [] if now == self.before else [f"set to {now} and not to {self.before}"]


def _wrong_file(capture: dict[str, object], line: ResolvedRoute, centres_hz: set[float]) -> list[str]:
    """Whether a recording says what the receiver did, over the route as it was known when it was asked for."""
    tuner_hz = float(str(capture["yarddial:tuner_hz"]))
    expected_hz = line.dial_of(tuner_hz, line.dial_hz)
    wrong = [] if tuner_hz in centres_hz else [f"a recording says that the tuner stood at {tuner_hz:.0f} Hz"]
    if abs(float(str(capture["core:frequency"])) - expected_hz) > 1.0:
        wrong.append(f"a recording's centre is {capture['core:frequency']} Hz, not {expected_hz:.0f}")
    return wrong


def counted_hz(seen: Observation) -> float:
    """What the receiver counted, from what the dial read and the values that were entered then."""
    hertz = seen.dial_hz
    for stage in seen.stages:
        hertz = {
            "sum": hertz + stage.entered_lo_hz, "low": hertz - stage.entered_lo_hz, "high": stage.entered_lo_hz - hertz
        }[stage.kind]  # fmt: skip
    return hertz / (1 + seen.entered_ppm * 1e-6)


def _tunes(lease: Lease) -> bool:
    return lease.kind.tunes and not lease.waits and not lease.is_released


def _remedy(yard: JobYard) -> None:
    session = yard.session
    line = session.desk.route.at(session.desk.station.dial_hz)
    steps = [
        SpanSetting("", 0.0, line, settings_for(line)),
        SpanSetting("cure", 0.0, line, settings_for(line), calibrated=True),
    ]
    session.mitigation._records.begin(steps, session.mitigation._seen, session.mitigation._ended)


def _check_reception(yard: JobYard) -> None:
    yard.session.listening.open()
    yard.session.reception_check.start()


def _compare(yard: JobYard) -> None:
    able = yard.session.comparison.setups()
    if len(able) > 1:
        yard.session.comparison.start(able[0], able[1])


def _record(yard: JobYard) -> None:
    listening = yard.session.listening
    path = yard.folder / f"r{next(yard._numbers)}"
    listening.recorder.record_samples(path, listening.settings)


def _transmit(yard: JobYard) -> None:
    session = yard.session
    if session.rig.status == "off":
        ScriptedRig().join(session)
    session.rig.safety.acknowledge()
    session.own_transmission.begin(dummy_load=True, lowest_power=True)
    session.own_transmission.press()


def _hunt(yard: JobYard) -> None:
    search = yard.session.interference_search
    # Beginning anew ends a look that is under way: one hunt is enough here.
    if search.search is None:
        search.begin(("kitchen",))
    search.record()


def _begin(room: Room[Any], name: str) -> Callable[[JobYard], object]:
    """As the room's own file declares that a person begins it."""
    begin = room.declaration.begin[name]
    return lambda yard: begin(getattr(yard.session, room.name))


def _check_plug(yard: JobYard) -> None:
    """As when the person says that the demo's switch was turned."""
    (move,) = moves_for(demo_station(), VIA_HEARTH)
    yard.session.plug_check.check(move, (VIA_HEARTH,), (VIA_LADDER,))


# Those that must be told more than what is usual; all others are begun as they declare it.
_TOLD_MORE: dict[str, Callable[[JobYard], object]] = {
    "recording": _record,
    "lo_leak_scan": lambda yard: yard.session.lo_leak_scan.start((120e6, 125e6)),
    "remedy_trial": _remedy,
    "hunt": _hunt,
    "comparison": _compare,
    "reception_check": _check_reception,
    "own_transmission": _transmit,
    "plug_check": _check_plug,
}
KINDS: dict[str, JobKind] = {kind.name: kind for room in rooms() for kind in room.declaration.kinds}
BEGIN: dict[str, Callable[[JobYard], object]] = {
    kind.name: _TOLD_MORE.get(kind.name) or _begin(room, kind.name)
    for room in rooms()
    for kind in room.declaration.kinds
}

# What may happen to two jobs; each gets the yard and the names of the first and the second.
HAPPENINGS: dict[str, Callable[[JobYard, str, str], None]] = {
    "second begun at once": lambda yard, first, second: None,
    "first cancelled": lambda yard, first, second: cancel(yard, first),
    "second cancelled": lambda yard, first, second: cancel(yard, second),
    "receiver stopped": lambda yard, first, second: yard.session.live_receiver.stop(),
    "engine killed": lambda yard, first, second: yard.engine.kill(),
    "window closed": lambda yard, first, second: yard.session.close(),
}


def cancel(yard: JobYard, name: str) -> None:
    """As its own Stop button does."""
    for lease in yard.session.jobs.leases:
        if lease.kind.name == name:
            yard.session.jobs.cancel(lease)
            return


def run_case(folder: Path, first: str, second: str, happening: str, *, is_stubborn: bool = False) -> list[str]:
    """Begin two jobs, let something happen, let go; returns what is not as it should be."""
    yard = JobYard(folder, is_stubborn=is_stubborn)
    # Until what is asked for now has been answered.
    patience = 8 if is_stubborn else 2
    yard.begin(first)
    yard.polls(patience)
    yard.begin(second)
    yard.polls(patience)
    HAPPENINGS[happening](yard, first, second)
    if happening == "window closed":
        return yard.faults()
    yard.polls(patience)
    lost = [] if happening not in ("receiver stopped", "engine killed") else yard.still_under_way_without_receiver()
    yard.let_go()
    yard.polls(patience)
    found = [*lost, *yard.faults(), *yard.not_acknowledged(), *yard.has_come_back()]
    yard.session.close()
    return found
