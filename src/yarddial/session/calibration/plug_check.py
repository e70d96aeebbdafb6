"""Check of a move by hand: are known stations received as the new connection brings them, or still as the former one?

A plug or switch joins one route and parts another. Both routes are tuned to known stations in turn, the same ones where
both reach them. The route over which they come with more carrier to noise is the connected one. Where both routes would
show a station at the same place of the same socket, such as two antennas on one converter, presence tells nothing: the
move then stays unchecked, and the sentence says so.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, TuneRefused
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPlace
from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.yard.parts import Antenna
from yarddial.yard.plugs import MoveCheck
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.shared_sockets import Move
from yarddial.yard.station import Reference

if TYPE_CHECKING:
    from yarddial.session.calibration.calibration import Calibration
    from yarddial.session.calibration.topics import CalibrationTopics

LISTENS_S = 0.5
# Stations tried on each route, and routes that another plug in the same socket would connect.
MAX_STATIONS, MAX_RIVALS = 2, 4
# Kinds whose carrier is there all the time.
STEADY_KINDS = (
    "standard frequency", "medium-wave broadcaster", "short-wave broadcaster", "steady carrier", "satellite beacon",
)  # fmt: skip
# A station comes over the connected route with this much more carrier to noise; fades of half a minute differ by less.
DECIDES_DB = 12.0
# Carrier to noise just below what half a second can measure, for a station that is not received.
NOTHING_DBHZ = 18.0
# Two routes that count a station this close to each other on one socket show the same signal.
SAME_PLACE_HZ = 20e3
PLUG_CHECK = JobKind("plug_check", "work", "the check of a plug", "a plug is being checked")


class Probe(msgspec.Struct, frozen=True):
    """A station to try over a route. is_new : over the route that the move connects."""

    route: ResolvedRoute
    reference: Reference
    is_new: bool


class PlugCheck(Job):
    """Runs by itself after a confirmed move, where the receiver runs and is free."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: "Calibration", hands: Hands,
        log: LogKeeper,
    ) -> None:  # fmt: skip
        self._desk, self._live_receiver, self._jobs = desk, live_receiver, jobs
        self._calibration, self._hands, self._log = calibration, hands, log
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._move: Move | None = None
        self._probes: list[Probe] = []
        self._received: list[tuple[Probe, float]] = []
        # What else would bring each station to the same place, by the station's name.
        self._lookalikes_of: dict[str, tuple[str, ...]] = {}
        # What the last check says, as a sentence; empty before one.
        self.sentence = ""
        self.result: MoveCheck = "unchecked"
        hands.check_with(self.check)

    def on_plug_check_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for the begin and the end of a check."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while stations are tried."""
        return self._lease is not None

    def why_not(self) -> str:
        """Why no check can be made now; empty when it can."""
        if not self._live_receiver.wanted:
            return "the receiver is off"
        if self._live_receiver.plays:
            return "a recording plays"
        return self._jobs.why_not(PLUG_CHECK, self._asking())

    def check(self, move: Move, joined: tuple[str, ...], rivals: tuple[str, ...]) -> bool:
        """Begin after the person's word, return whether a check is under way.

        joined : routes that the move connects. rivals : routes that another plug in the same socket would connect, the
        former one first.
        """
        self._move, self.result = move, "unchecked"
        self._probes = self._planned(joined, rivals)
        self._received = []
        if why := self.why_not():
            self.sentence = f"Not checked: {why}"
        elif not any(probe.is_new for probe in self._probes):
            self.sentence = "Not checked: no known station would tell the new connection from the former one"
        else:
            lease = self._jobs.request(PLUG_CHECK, self, self._asking())
            if isinstance(lease, Refusal):
                self.sentence = f"Not checked: {lease.reason}"
            else:
                self._lease, self.sentence = lease, ""
                lease.restore_with(self._desk.restorer())
                self._try_next()
        self._changed.tell()
        return self.running

    def _asking(self) -> Lease | None:
        """Job that waits for the move, if any: the check is a part of it."""
        if not self._hands.is_awaited:
            return None
        asking = [lease for lease in self._jobs.leases if lease.kind.asks_hands and not lease.waits]
        return asking[-1] if asking else None

    def _planned(self, joined: tuple[str, ...], rivals: tuple[str, ...]) -> list[Probe]:
        """Stations to try: those that the former route would not show alike, first those that no rival shows alike."""
        station = self._desk.station
        steady = [reference for reference in station.references if reference.kind in STEADY_KINDS]
        steady.sort(key=lambda reference: abs(reference.frequency_hz - station.dial_hz))
        new_routes, old_routes = ([station.resolve(name) for name in names] for names in (joined, rivals))
        if not new_routes:
            return []
        new = new_routes[0]
        able = [r for r in steady if _receives(new, r) and not any(_alike(new, old, r) for old in old_routes[:1])]
        lookalikes = {r.name: self._lookalikes(new, r, old_routes) for r in able}
        able.sort(key=lambda r: (len(lookalikes[r.name]), not any(_receives(old, r) for old in old_routes)))
        self._lookalikes_of = lookalikes
        probes = [Probe(new.at(reference.frequency_hz), reference, is_new=True) for reference in able[:MAX_STATIONS]]
        for old in old_routes[:MAX_RIVALS]:
            shared = [probe.reference for probe in probes if probe.is_new and _receives(old, probe.reference)]
            others = [reference for reference in steady if _receives(old, reference)]
            telling = [r for r in shared or others if not any(_alike(each, old, r) for each in new_routes)]
            probes += [Probe(old.at(r.frequency_hz), r, is_new=False) for r in telling[:MAX_STATIONS]]
        return [probe for probe in probes if probe.route.receiver.device]

    def _lookalikes(self, new: ResolvedRoute, reference: Reference, rivals: list[ResolvedRoute]) -> tuple[str, ...]:
        """What would bring a station to the same place: rivals, and other antennas in place of an unconfirmed one."""
        names = [rival.name for rival in rivals if _alike(new, rival, reference)]
        if self._hands.is_antenna_certain(new.name):
            return tuple(names)
        others = [part for part in self._desk.station.parts if isinstance(part, Antenna) and part != new.antenna]
        names += [part.name for part in others if part.low_hz <= reference.frequency_hz <= part.high_hz]
        return tuple(dict.fromkeys(names))

    def _try_next(self) -> None:
        if self._lease is None:
            return
        if len(self._received) == len(self._probes):
            self._judge()
            return
        probe = self._probes[len(self._received)]
        within_hz = self._within_hz(probe)
        self._live_receiver.tuner.tune_with(
            probe.route, settings_for(probe.route), 1.1 * within_hz, self._lease, anew=True, as_found=True
        )
        self._lease.ask(Measure(LISTENS_S, within_hz))

    def _within_hz(self, probe: Probe) -> float:
        state = self._calibration.state(probe.route, probe.reference.frequency_hz)
        return float(max(abs(state.error_hz) + 4 * state.sigma_hz, 500.0))

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case Measured():
                self._note(max(event.carrier.cn0_dbhz, NOTHING_DBHZ))
            case NotMeasured() if event.tuning is not None:
                # Nothing stands out, or not even noise reaches the ADC.
                self._note(NOTHING_DBHZ)
            case NotMeasured(sentence=sentence) | TuneRefused(sentence=sentence):
                if self._lease is not None:
                    self._lease.end("failed", sentence)
            case _:
                pass

    def _note(self, cn0_dbhz: float) -> None:
        self._received.append((self._probes[len(self._received)], cn0_dbhz))
        self._try_next()

    def _judge(self) -> None:
        """Compare the best of each side; the same station on both where there is one."""
        lease, move = self._lease, self._move
        if lease is None or move is None:
            return
        new = max(((cn0, p) for p, cn0 in self._received if p.is_new), key=lambda found: found[0])
        old = max(((cn0, p) for p, cn0 in self._received if not p.is_new), key=lambda found: found[0], default=None)
        is_new_heard = new[0] > NOTHING_DBHZ + DECIDES_DB
        is_old_heard = old is not None and old[0] > NOTHING_DBHZ + DECIDES_DB
        more_db = new[0] - old[0] if old is not None else DECIDES_DB
        self.result = "unchecked"
        if is_old_heard and old is not None and (not is_new_heard or more_db < -DECIDES_DB):
            self.result = "contradicted"
            self.sentence = f"{old[1].reference.name} is still received over {old[1].route.name}: {move.act}"
        elif is_new_heard and (lookalikes := self._lookalikes_of.get(new[1].reference.name, ())):
            names = " or ".join(lookalikes[:2])
            self.sentence = f"Not checked: {new[1].reference.name} is received, but {names} would bring it too"
        elif is_new_heard and (not is_old_heard or more_db > DECIDES_DB):
            self.result = "confirmed"
            self.sentence = f"{new[1].reference.name} is received over {new[1].route.name}: it is connected"
        elif is_new_heard:
            self.sentence = "Not checked: known stations are received over the former route as well as over the new one"
        else:
            self.sentence = "Not checked: no known station is received, neither as before nor as it should be now"
        lease.end()

    def ended(self, ending: Ending) -> None:
        """Store and log the result."""
        self._lease, move = None, self._move
        if ending.how != "done":
            self.result, self.sentence = "unchecked", f"Not checked: {ending.reason}"
        if move is not None:
            self._hands.check(move, self.result, self.sentence)
        if move is not None and self.result != "unchecked":
            word = "confirmed" if self.result == "confirmed" else "contradicted by a measurement"
            text = f"{move.act[:1].upper()}{move.act[1:]}: {word}. {self.sentence}"
            data = LoggedPlace(self._desk.station.dial_hz)
            self._log.add(Entry(station=self._desk.station.name, kind="note", text=text, data=data))
        self._changed.tell()


def _receives(route: ResolvedRoute, reference: Reference) -> bool:
    """Return True within the range of the route's antenna; stations beyond it may be too weak to tell anything."""
    return route.reach(reference.frequency_hz).state == "reached"


def _alike(new: ResolvedRoute, old: ResolvedRoute, reference: Reference) -> bool:
    """Return True when both routes would show a station at the same place of the same socket."""
    hertz = reference.frequency_hz
    if not (_receives(old, reference) and _receives(new, reference)) or (new.receiver.name, new.port) != (
        old.receiver.name,
        old.port,
    ):
        return False
    return abs(new.at(hertz).counted_hz(hertz) - old.at(hertz).counted_hz(hertz)) < SAME_PLACE_HZ


def _make(of: "CalibrationTopics") -> PlugCheck:
    return PlugCheck(of.desk, of.live_receiver, of.jobs, of.calibration, of.hands, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(PLUG_CHECK,),
    is_under_way=lambda check: check.running,
    on_changed=lambda check: check.on_plug_check_changed,
    logs=(LoggedPlace,),
)
