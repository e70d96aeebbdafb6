"""Two set-ups compared in turn on the same place: routes, antennas, receivers or settings, and which hears better."""

import random
from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.records.entry import Entry
from yarddial.session.desk import Desk
from yarddial.session.engine.messages import CancelSweep, Event, Looking, Refused, Stopped, Sweep, SweepDone, SweepPoint
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening import turned
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import Reception
from yarddial.yard.frequency import format_frequency
from yarddial.yard.line import Line
from yarddial.yard.ways import WAYS, ways_of

if TYPE_CHECKING:
    # Not needed before the first paint.
    from yarddial.analysis.comparison.difference import Difference

# Pairs of a whole comparison, and how long each is measured in it.
PAIRS, DWELL_S = 40, 0.25
HALF_WIDTH_HZ = 10_000.0


class Setup(msgspec.Struct, frozen=True):
    """A route laid out with the gains it had when it was taken."""

    label: str
    line: Line


class Pair(msgspec.Struct, frozen=True):
    """Signal and noise of both, dBFS, or dBm at the sockets where both are calibrated; linear powers."""

    first_signal: float
    first_noise: float
    second_signal: float
    second_noise: float


class Compared(msgspec.Struct, frozen=True):
    """Second against first, in dB: signal, noise, and signal over noise."""

    signal: "Difference"
    noise: "Difference"
    over: "Difference"
    in_dbm: bool


class Comparing:
    """One comparison at a time."""

    def __init__(
        self,
        desk: Desk,
        reception: Reception,
        engine: EngineLink,
        log: LogKeeper,
        borrow: Callable[[], None],
        give_back: Callable[[], None],
    ) -> None:
        """`borrow` and `give_back` : silence meanwhile, and the receiver looks as before after it."""
        self._desk, self._reception, self._engine, self._log = desk, reception, engine, log
        self._borrow, self._give_back = borrow, give_back
        self._changed = Listeners()
        self._kept: tuple[Setup, ...] = ()
        # Numbers of its own, so that no answer to another sweep is taken for one of these.
        self._id = 1_000_000
        self._order: list[int] = []
        self._weighed: dict[int, tuple[float, float]] = {}
        self._chance = random.Random(20)
        self._held_before: object | None = None
        self._dial_hz = 0.0
        self._awaits_look = False
        self.first: Setup | None = None
        self.second: Setup | None = None
        self.pairs: tuple[Pair, ...] = ()
        self.in_dbm = False
        self.running = False
        self.trouble = ""

    def on_comparing_changed(self, listener: Listener) -> Callable[[], None]:
        """A pair came, or the comparison began or ended."""
        return self._changed.add(listener)

    def setups(self) -> tuple[Setup, ...]:
        """What can be compared at the dial: every route that reaches it, and the settings kept by hand."""
        dial_hz = self._desk.station.dial_hz
        able = [line for line in self._desk.station.lines() if not line.why_not(dial_hz) and line.receiver.device]
        # The active route first.
        able.sort(key=lambda line: line.name != self._desk.line.name)
        routes = tuple(Setup(_label(line), line) for line in able)
        kept = tuple(one for one in self._kept if not one.line.why_not(dial_hz) and one not in routes)
        return (*routes, *kept)

    def keep(self) -> None:
        """Keep the active route as it is set now, to compare it with other settings."""
        line = self._desk.line
        made = Setup(_label(line), line)
        if not line.missing and made.label not in [one.label for one in self._kept]:
            self._kept = (*self._kept, made)
        self._changed.tell()

    def why_not(self, first: Setup | None, second: Setup | None) -> str:
        """Why two cannot be compared just now, or an empty text."""
        if self.running:
            return "a comparison is under way"
        if first is None or second is None or first == second:
            return "choose two set-ups that differ: other routes, or other gains kept beside the present ones"
        if not self._reception.wanted:
            return "the receiver is off: Space starts it"
        if self._reception.plays:
            return "a recording plays: end it first"
        return ""

    def start(self, first: Setup, second: Setup) -> None:
        """Measure both in turn, the order within each pair drawn by lot."""
        if self.why_not(first, second):
            return
        self.first, self.second, self.pairs, self.trouble = first, second, (), ""
        self.in_dbm = all(one.line.receiver.level_offset(one.line.port) is not None for one in (first, second))
        self.running, self._dial_hz = True, self._desk.station.dial_hz
        self._borrow()
        self._held_before, self._reception.held_by = self._reception.held_by, self
        self._next_pair()
        self._changed.tell()

    def cancel(self) -> None:
        """End it; what was measured so far stays."""
        if self.running:
            self._engine.send(CancelSweep())
            self._end("")

    def compared(self) -> Compared | None:
        """Second against first, as far as known; None before enough pairs."""
        from yarddial.analysis.comparison.difference import FEWEST_PAIRS, difference

        pairs = self.pairs
        if len(pairs) < FEWEST_PAIRS:
            return None
        return Compared(
            difference([p.first_signal for p in pairs], [p.second_signal for p in pairs]),
            difference([p.first_noise for p in pairs], [p.second_noise for p in pairs]),
            difference(
                [p.first_signal / p.first_noise for p in pairs], [p.second_signal / p.second_noise for p in pairs]
            ),
            self.in_dbm,
        )

    def take(self, event: Event) -> None:
        """Take an event from the engine, after the reception has."""
        if not self.running:
            return
        match event:
            case Looking() if self._awaits_look and self._reception.is_looking:
                self._weigh()
            case Refused() if self._awaits_look and self._reception.trouble:
                # A refusal of what was asked before is none of this.
                self._end(event.sentence)
            case SweepPoint() if event.id == self._id:
                self._weighed[self._order.pop(0)] = self._powers(event)
                self._next()
            case SweepDone() if event.id == self._id and event.reason:
                self._end(event.reason)
            case Stopped() if event.reason:
                self._end(event.reason)

    def _next_pair(self) -> None:
        self._order, self._weighed = [0, 1], {}
        self._chance.shuffle(self._order)
        self._look()

    def _look(self) -> None:
        setup = self._setup()
        self._awaits_look = True
        self._reception.tune(setup.line, self._dial_hz, HALF_WIDTH_HZ)
        if self._reception.is_looking:
            self._weigh()

    def _weigh(self) -> None:
        line = self._setup().line.at(self._dial_hz)
        way = WAYS[ways_of(self._desk.station.mode, self._dial_hz)[0]]
        heard = turned(way.settings(), line)
        self._awaits_look = False
        self._id += 1
        self._engine.send(Sweep(self._id, ((),), way.width_hz, (heard.low_hz + heard.high_hz) / 2, DWELL_S))

    def _next(self) -> None:
        if self._order:
            self._look()
            return
        self.pairs = (*self.pairs, Pair(*self._weighed[0], *self._weighed[1]))
        if self._desk.station.dial_hz != self._dial_hz:
            self._end("the dial was turned meanwhile")
        elif len(self.pairs) >= PAIRS:
            self._end("")
        else:
            self._next_pair()
        self._changed.tell()

    def _powers(self, point: SweepPoint) -> tuple[float, float]:
        line = self._setup().line
        offset = line.receiver.level_offset(line.port) if self.in_dbm else None
        factor = 10 ** ((offset.value if offset is not None else 0.0) / 10)
        noise = 10 ** (point.floor_dbfs_hz / 10) * point.width_hz
        return (10 ** (point.channel_dbfs / 10) - noise) * factor, noise * factor

    def _setup(self) -> Setup:
        setup = (self.first, self.second)[self._order[0]]
        assert setup is not None
        return setup

    def _end(self, trouble: str) -> None:
        self.running, self.trouble, self._order = False, trouble, []
        self._awaits_look = False
        self._reception.held_by = self._held_before
        self._give_back()
        result = self.compared()
        done = not trouble and result is not None and result.over.is_settled
        if done and result is not None and self.first is not None and self.second is not None:
            over = result.over
            text = (
                f"{self.second.label} against {self.first.label} at {format_frequency(self._dial_hz)}: "
                f"{over.db:+.1f} dB of signal to noise ({over.low_db:+.1f} to {over.high_db:+.1f}, 19 of 20)"
            ).replace("-", "−")
            data = {"compared": msgspec.to_builtins(result), "pairs": msgspec.to_builtins(self.pairs)}
            self._log.add(Entry(station=self._desk.station.name, kind="comparison", text=text, data=data))
        self._changed.tell()


def _label(line: Line) -> str:
    gains = ", ".join(f"{stage.name} {stage.set_db:g} dB" for stage in line.receiver.gain_stages)
    return f"{line.name}, {gains}" if gains else line.name
