"""Comparison of two set-ups in turn at one frequency: routes, antennas, receivers or settings."""

import random
from collections.abc import Callable
from math import hypot, sqrt
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, SweepDone, SweepPoint, Tuned, TuneRefused
from yarddial.engine.jobs.lease import Ending, How, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedComparison
from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.yard.demodulation import demodulations_of, turned, usual
from yarddial.yard.frequency import format_frequency
from yarddial.yard.parts.receiver import STEP_SIGMA_DB
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.session.listening.pair_differences import Compared

# Pairs of a complete comparison, and the duration of each measurement.
PAIRS_A_COMPARISON, DWELL_S = 40, 0.25
# By hand: pairs, and the duration of each measurement. In the order first, second, second, first every pair costs one
# move, and a steady drift cancels between neighbouring pairs.
PAIRS_BY_HAND, DWELL_BY_HAND_S = 6, 2.0
HALF_WIDTH_HZ = 10_000.0
COMPARISON = JobKind("comparison", "work", "a comparison", "a comparison is under way", asks_hands=True)


class Setup(msgspec.Struct, frozen=True):
    """A resolved route with its gains at the time."""

    label: str
    route: ResolvedRoute


class Pair(msgspec.Struct, frozen=True):
    """Signal and noise of both, dBFS, or dBm at the sockets where both are calibrated; linear powers."""

    first_signal: float
    first_noise: float
    second_signal: float
    second_noise: float


class Comparison(Job):
    """One comparison at a time."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        log: LogKeeper,
        hands: Hands,
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._log, self._hands = desk, live_receiver, jobs, log, hands
        hands.on_hands_changed(self._plugs_changed)
        # True while a hand must change over between the two, and while one is waited for.
        self.by_hand = self.waits_for_hand = False
        self._changed = Listeners()
        self._kept: tuple[Setup, ...] = ()
        self._lease: Lease | None = None
        self._order: list[int] = []
        self._weighed: dict[int, tuple[float, float]] = {}
        self._chance = random.Random(20)
        self._dial_hz = 0.0
        self._width_hz = 3_000.0
        self.first: Setup | None = None
        self.second: Setup | None = None
        self.pairs: tuple[Pair, ...] = ()
        self.in_dbm = False
        self.trouble = ""

    @property
    def running(self) -> bool:
        """True while both are measured in turn."""
        return self._lease is not None

    def on_comparison_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new pairs, and for the begin and end."""
        return self._changed.add(listener)

    def setups(self) -> tuple[Setup, ...]:
        """Comparable set-ups at the dial: every route that reaches it, and the settings stored by hand."""
        dial_hz = self._desk.station.dial_hz
        able = [
            route
            for route in self._desk.station.resolved_routes()
            if not route.why_not(dial_hz) and route.receiver.device
        ]
        # The active route first.
        able.sort(key=lambda route: route.name != self._desk.route.name)
        routes = tuple(Setup(_label(route), route) for route in able)
        further_setups = tuple(
            setup for setup in self._kept if not setup.route.why_not(dial_hz) and setup not in routes
        )
        return (*routes, *further_setups)

    def nearest(self) -> Reference | None:
        """Known station next to the dial, not at it, that every compared set-up reaches."""
        routes = [setup.route for setup in (self.first, self.second) if setup is not None]
        dial_hz = self._desk.station.dial_hz
        able = [
            reference
            for reference in self._desk.station.references
            if reference.frequency_hz != dial_hz and not any(route.why_not(reference.frequency_hz) for route in routes)
        ]
        return min(able, key=lambda reference: abs(reference.frequency_hz - dial_hz), default=None)

    def keep(self) -> None:
        """Store the active route with its present settings for comparison."""
        route = self._desk.route
        setup = Setup(_label(route), route)
        if not route.missing and setup.label not in [kept_setup.label for kept_setup in self._kept]:
            self._kept = (*self._kept, setup)
        self._changed.tell()

    def why_not(self, first: Setup | None, second: Setup | None) -> str:
        """Reason why two cannot be compared now; empty when they can."""
        if why_not := self._jobs.why_not(COMPARISON):
            return why_not
        if first is None or second is None or first == second:
            return "choose two set-ups that differ: other routes, or gains used before beside the present ones"
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        if self._live_receiver.plays:
            return "a recording plays: end it first"
        return ""

    def start(self, first: Setup, second: Setup) -> None:
        """Measure both in turn: in random order within each pair, or in alternating order where a hand changes over."""
        if self.why_not(first, second):
            return
        lease = self._jobs.request(COMPARISON, self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        self.first, self.second, self.pairs, self.trouble = first, second, (), ""
        self.in_dbm = all(setup.route.receiver.level_offset(setup.route.port) is not None for setup in (first, second))
        self._dial_hz = self._desk.station.dial_hz
        self.by_hand = self._hands.needs_hand_between(first.route.name, second.route.name)
        self._next_pair()
        self._changed.tell()

    def cancel(self) -> None:
        """End the comparison; results so far stay."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def compared(self) -> "Compared | None":
        """Second against first as far as known; None before enough pairs."""
        from yarddial.analysis.comparison.difference import MIN_PAIRS
        from yarddial.session.listening.pair_differences import ChannelLevel, compared_pairs

        pairs = self.pairs
        if len(pairs) < MIN_PAIRS:
            return None
        return compared_pairs(
            [ChannelLevel(pair.first_signal, pair.first_noise) for pair in pairs],
            [ChannelLevel(pair.second_signal, pair.second_noise) for pair in pairs],
            self._width_hz, self._dwell_s, in_dbm=self.in_dbm, calibration_sigma_db=self._calibration_sigma_db(),
        )  # fmt: skip

    def _calibration_sigma_db(self) -> float:
        """Uncertainty of the difference of two calibrations; of one calibration for both, that of the gain steps."""
        if not self.in_dbm or self.first is None or self.second is None:
            return 0.0
        first, second = self.first.route, self.second.route
        if (first.receiver.name, first.port) == (second.receiver.name, second.port):
            pairs = zip(first.receiver.gains_db(), second.receiver.gains_db(), strict=True)
            return STEP_SIGMA_DB * sqrt(sum(before != after for before, after in pairs))
        offsets = [route.receiver.level_offset(route.port) for route in (first, second)]
        return hypot(*(offset.sigma for offset in offsets if offset is not None))

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case Tuned():
                self._weigh()
            case TuneRefused():
                self._end("failed", event.sentence)
            case SweepPoint():
                self._weighed[self._order.pop(0)] = self._powers(event)
                self._next()
            case SweepDone() if event.reason:
                self._end("failed", event.reason)
            case _:
                pass

    def why_stale(self) -> str:
        """Stop when the dial leaves the compared frequency; results so far stay."""
        return "" if self._desk.station.dial_hz == self._dial_hz else "the dial was turned meanwhile"

    def _next_pair(self) -> None:
        self._order, self._weighed = [0, 1], {}
        if not self.by_hand:
            self._chance.shuffle(self._order)
        elif len(self.pairs) % 2:
            self._order.reverse()
        self._measure_pair()

    def _measure_pair(self) -> None:
        route = self._setup().route.at(self._dial_hz)
        self.waits_for_hand = bool(self._hands.moves(route.name))
        self._hands.ask(route.name)
        if not self.waits_for_hand and self._lease is not None:
            self._live_receiver.tuner.tune_with(route, settings_for(route), HALF_WIDTH_HZ, self._lease, anew=True)

    def _plugs_changed(self) -> None:
        if self._lease is not None and self.waits_for_hand and not self._hands.moves(self._setup().route.name):
            self._measure_pair()
            self._changed.tell()

    @property
    def _dwell_s(self) -> float:
        return DWELL_BY_HAND_S if self.by_hand else DWELL_S

    @property
    def pair_count(self) -> int:
        """Number of pairs of a complete comparison of these two."""
        return PAIRS_BY_HAND if self.by_hand else PAIRS_A_COMPARISON

    def _weigh(self) -> None:
        route = self._setup().route.at(self._dial_hz)
        demodulation = usual(demodulations_of(self._desk.station.mode, self._dial_hz)[0], self._dial_hz)
        heard = turned(demodulation.settings(), route)
        self._width_hz = demodulation.width_hz
        if self._lease is not None:
            self._lease.ask(Sweep(((),), demodulation.width_hz, (heard.low_hz + heard.high_hz) / 2, self._dwell_s))

    def _next(self) -> None:
        if self._order:
            self._measure_pair()
            return
        self.pairs = (*self.pairs, Pair(*self._weighed[0], *self._weighed[1]))
        if len(self.pairs) >= self.pair_count:
            self._end("done")
        else:
            self._next_pair()
        self._changed.tell()

    def _powers(self, point: SweepPoint) -> tuple[float, float]:
        route = self._setup().route
        offset = route.receiver.level_offset(route.port) if self.in_dbm else None
        factor = 10 ** ((offset.value if offset is not None else 0.0) / 10)
        noise = 10 ** (point.floor_dbfs_hz / 10) * point.width_hz
        return (10 ** (point.channel_dbfs / 10) - noise) * factor, noise * factor

    def _setup(self) -> Setup:
        setup = (self.first, self.second)[self._order[0]]
        assert setup is not None
        return setup

    def _end(self, how: How, reason: str = "") -> None:
        if self._lease is not None:
            self._lease.end(how, reason)

    def ended(self, ending: Ending) -> None:
        """Log a settled result."""
        self._lease, self._order, self.waits_for_hand = None, [], False
        self._hands.ask("")
        self.trouble = "" if ending.how in ("done", "cancelled") else ending.reason
        result = self.compared()
        done = not self.trouble and result is not None and result.over.is_settled and result.over.has_signal
        if done and result is not None and self.first is not None and self.second is not None:
            over = result.over
            text = (
                f"{self.second.label} against {self.first.label} at {format_frequency(self._dial_hz)}: "
                f"{over.db:+.1f} dB of signal to noise ({over.low_db:+.1f} to {over.high_db:+.1f}, 19 of 20)"
                f"{', changed over by hand' if self.by_hand else ''}"
            ).replace("-", "−")
            data = LoggedComparison(msgspec.to_builtins(result), msgspec.to_builtins(self.pairs))
            self._log.add(Entry(station=self._desk.station.name, kind="comparison", text=text, data=data))
        self._changed.tell()


def _label(route: ResolvedRoute) -> str:
    gains = ", ".join(f"{stage.name} {stage.set_db:g} dB" for stage in route.receiver.gain_stages)
    name = route.name if route.missing or route.antenna.name in route.name else f"{route.name} ({route.antenna.name})"
    return f"{name}, {gains}" if gains else name


def _make(of: ReceiverTopics) -> Comparison:
    return Comparison(of.desk, of.live_receiver, of.jobs, of.log, of.hands)


DECLARATION = Declaration(
    make=_make, kinds=(COMPARISON,), is_under_way=lambda comparison: comparison.running, logs=(LoggedComparison,)
)
