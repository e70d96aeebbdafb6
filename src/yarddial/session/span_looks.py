"""The span looked at under one setting after another, for whoever wants to compare; the receiver is set back after."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Literal

import msgspec
import numpy as np

from yarddial.drivers.protocol import Ask
from yarddial.session.desk import Desk
from yarddial.session.engine.messages import CancelSweep, Event, Looking, Refused, Stopped, Sweep, SweepDone, SweepPoint
from yarddial.session.engine.process import EngineLink
from yarddial.session.reception import Reception
from yarddial.session.truing import Truing
from yarddial.yard.line import Line
from yarddial.yard.path import path_sense

if TYPE_CHECKING:
    # Not needed before the first look.
    from yarddial.analysis.ghosts.span import Span

# Each look takes so long.
LOOK_S = 0.8
# The span is looked at as it is so wide around the dial, hertz: the look itself needs a slice, no more.
HALF_WIDTH_HZ = 3_000.0
FIRST_ID = 5_000_000


class Step(msgspec.Struct, frozen=True):
    """One setting to look at: what is changed, by how much, over which route, with what to ask of its receiver.

    calibrated : levels are in dBm by what the step's own route and gain make of them, not by the first look's.
    """

    change: Literal["", "centre", "gain", "rate", "route", "antenna", "cure", "scan"]
    amount: float
    line: Line
    ask: Ask
    calibrated: bool = False


class SpanLooks:
    """One row of looks at a time."""

    def __init__(
        self, desk: Desk, reception: Reception, engine: EngineLink, truing: Truing, give_back: Callable[[], None],
        first_id: int = FIRST_ID,
    ) -> None:  # fmt: skip
        self._desk, self._reception, self._engine, self._truing = desk, reception, engine, truing
        self._give_back = give_back
        self._id = first_id
        self._left: list[Step] = []
        self._count = 0
        self._awaits_look = False
        self._held_before: object | None = None
        self._look_s = LOOK_S
        self._place: tuple[float, str] = (0.0, "")
        self._on_span: Callable[[Step, Span], None] = lambda step, span: None
        self._on_end: Callable[[str], None] = lambda trouble: None
        # What turned dBFS into dBm for the latest calibrated look.
        self.offset_db = 0.0
        self.now: Step | None = None

    @property
    def running(self) -> bool:
        """True while it looks."""
        return self.now is not None

    @property
    def fraction(self) -> float:
        """How much of it is done."""
        return (self._count - len(self._left) - 1) / max(self._count, 1) if self.running else 0.0

    def begin(
        self, steps: Sequence[Step], occupied: str, on_span: Callable[[Step, "Span"], None],
        on_end: Callable[[str], None], look_s: float = LOOK_S,
    ) -> None:  # fmt: skip
        """Look at each; `on_end` gets what went wrong, or an empty text.

        occupied : why nothing else can be measured meanwhile. look_s : how long each look takes.
        """
        self._look_s = look_s
        self._left, self._count = list(steps), len(steps)
        self._on_span, self._on_end = on_span, on_end
        self._place = (self._desk.station.dial_hz, self._desk.line.name)
        self._held_before, self._reception.held_by = self._reception.held_by, self
        self._truing.occupied = occupied
        self._next()

    def cancel(self) -> None:
        """End it."""
        if self.running:
            self._engine.send(CancelSweep())
            self._end("cancelled")

    def take(self, event: Event) -> None:
        """Take an event from the engine, after the reception has."""
        if not self.running:
            return
        match event:
            case Stopped() if event.reason:
                self._end(event.reason)
            case Looking() if self._awaits_look and self._reception.is_looking:
                self._awaits_look = False
                self._id += 1
                self._engine.send(Sweep(self._id, ((),), HALF_WIDTH_HZ, 0.0, self._look_s, with_span=True))
            case Refused() if self._awaits_look and self._reception.trouble:
                # That one setting is not to be had here; the others are.
                self._reception.trouble = ""
                self._next()
            case SweepPoint() if event.id == self._id and self.now is not None:
                self._on_span(self.now, self._span(self.now, event))
                self._next()
            case SweepDone() if event.id == self._id and event.reason:
                self._end(event.reason)
            case _:
                if (self._desk.station.dial_hz, self._desk.line.name) != self._place:
                    self._end("the dial was turned meanwhile: test it again")

    def _next(self) -> None:
        if not self._left:
            self._end("")
            return
        self.now = self._left.pop(0)
        self._awaits_look = True
        self._reception.look_with(self.now.line, self.now.ask, HALF_WIDTH_HZ)

    def _end(self, trouble: str) -> None:
        self.now, self._left, self._awaits_look = None, [], False
        self._truing.occupied = ""
        self._reception.held_by = self._held_before
        self._on_end(trouble)
        self._give_back()

    def _span(self, step: Step, point: SweepPoint) -> "Span":
        """What was seen, on the dial: in dBm as calibrated, or by the noise that should be there."""
        from yarddial.analysis.ghosts.span import Span

        line, dial_hz = step.line, step.line.dial_hz
        sense = path_sense(line.counted_stages(dial_hz))
        bins = point.span.size
        bin_hz = step.ask.rate_hz / bins
        offset_db = self.offset_db
        if step.change in ("", "route") or step.calibrated:
            offset_db = self._to_dbm(line, point)
        if step.change == "":
            self.offset_db = offset_db
        # A line's peak holds two thirds of its power, by the window.
        level = 10 * np.log10(np.maximum(point.span, 1e-24) * 1.5 * bin_hz) + offset_db
        ends = [line.dial_of(step.ask.centre_hz + side * step.ask.rate_hz / 2, dial_hz) for side in (-1, 1)]
        centre_hz = line.dial_of(step.ask.centre_hz, dial_hz)
        low_hz = min(ends) + (0.0 if sense > 0 else bin_hz)
        within_hz = 2 * bin_hz
        if step.change == "route":
            doubts_hz = (self._truing.state(line, dial_hz).sigma_hz, self._truing.state().sigma_hz)
            within_hz += 2 * float(np.hypot(*doubts_hz))
        return Span(low_hz, bin_hz, level if sense > 0 else level[::-1].copy(), centre_hz, step.ask.rate_hz, within_hz)

    def _to_dbm(self, line: Line, point: SweepPoint) -> float:
        from yarddial.analysis.levels.level_line import level_line, socket_offset_db

        offset = line.receiver.level_offset(line.port)
        if offset is not None:
            return offset.value
        surroundings = self._desk.station.surroundings
        by_noise_db = socket_offset_db(line, surroundings, point.floor_dbfs_hz)
        if by_noise_db is not None:
            return by_noise_db
        # The converter hides what comes in: as if it did not, rough as that is.
        return level_line(line, surroundings, 1.0).plates[-1].floor_dbm - point.floor_dbfs_hz
