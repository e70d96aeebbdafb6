"""Levels: the gain stages of the active receiver, a sweep over one of them, and what it advises."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.records.entry import Entry
from yarddial.session.desk import Desk
from yarddial.session.engine.messages import CancelSweep, Event, Stopped, Sweep, SweepDone, SweepPoint
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening import turned
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import Reception
from yarddial.yard.errors import BadSamples
from yarddial.yard.frequency import format_frequency
from yarddial.yard.parts import GainStage
from yarddial.yard.ways import WAYS, ways_of

if TYPE_CHECKING:
    # Not needed before the first paint.
    from yarddial.analysis.levels.advice import Advice, Step
    from yarddial.analysis.levels.level_line import LevelLine


class Swept(msgspec.Struct, frozen=True):
    """What a sweep belongs to: another dial, route or other stage's setting makes it another one."""

    receiver: str
    route: str
    dial_hz: float
    stage: str
    others: tuple[tuple[str, float], ...]


class Leveling:
    """One sweep at a time; its steps, and the advice once it is done."""

    def __init__(self, desk: Desk, reception: Reception, engine: EngineLink, log: LogKeeper) -> None:
        self._desk, self._reception, self._engine, self._log = desk, reception, engine, log
        self._changed = Listeners()
        self._id = 0
        self.swept: Swept | None = None
        self.steps: tuple[Step, ...] = ()
        self.advice: Advice | None = None
        self.trouble = ""
        self.fraction: float | None = None
        self.surroundings = "rural"
        desk.on_dial_changed(self._moved)
        desk.on_yard_changed(self._moved)
        reception.on_receiver_changed(self._changed.tell)

    def on_levels_changed(self, listener: Listener) -> Callable[[], None]:
        """A step came, the sweep ended, or a gain was set."""
        return self._changed.add(listener)

    @property
    def stages(self) -> tuple[GainStage, ...]:
        """Of the active route's receiver, the first in the line first."""
        return () if self._desk.line.missing else self._desk.line.receiver.gain_stages

    @property
    def is_current(self) -> bool:
        """True when what was swept is what stands on the dial now."""
        return self.swept is not None and self.swept == self._here(self.swept.stage)

    def choose_surroundings(self, name: str) -> None:
        """Town or country, whose noise the antenna brings."""
        self.surroundings = name
        self._changed.tell()

    def line(self) -> "LevelLine | None":
        """Noise along the active route at the dial, in the bandwidth of the mode; None while it is out of reach."""
        from yarddial.analysis.levels.level_line import level_line

        dial_hz = self._desk.station.dial_hz
        if self._desk.line.why_not(dial_hz):
            return None
        way = WAYS[ways_of(self._desk.station.mode, dial_hz)[0]]
        return level_line(self._desk.line.at(dial_hz), self.surroundings, way.width_hz)

    def set_gain(self, stage: str, gain_db: float) -> None:
        """Set a stage to the step nearest to a gain; it can be undone."""
        receiver = self._desk.line.receiver
        stages = tuple(
            msgspec.structs.replace(one, set_db=one.nearest_db(gain_db)) if one.name == stage else one
            for one in receiver.gain_stages
        )
        changed = msgspec.structs.replace(receiver, gain_stages=stages)
        self._desk.edit(f"gain {stage}", self._desk.station.with_part(changed))

    def why_not_sweep(self) -> str:
        """Why no sweep can begin just now, or an empty text."""
        if self.fraction is not None:
            return "a sweep is under way"
        if why_not := self._desk.line.why_not(self._desk.station.dial_hz):
            return why_not
        if not self.stages:
            return f"{self._desk.line.receiver.name} has no gain to set"
        if not self._reception.is_looking:
            return "the receiver is off: Space starts it"
        return ""

    def sweep(self, stage: str) -> None:
        """Measure at every real step of a stage, the others left alone."""
        found = next((one for one in self.stages if one.name == stage), None)
        if self.why_not_sweep() or found is None:
            return
        self._id += 1
        self.swept, self.steps, self.advice, self.trouble, self.fraction = self._here(stage), (), None, "", 0.0
        way = WAYS[ways_of(self._desk.station.mode, self._desk.station.dial_hz)[0]]
        heard = turned(way.settings(), self._desk.line.at(self._desk.station.dial_hz))
        middle_hz = (heard.low_hz + heard.high_hz) / 2
        self._engine.send(Sweep(self._id, stage, found.steps_db, way.width_hz, middle_hz))
        self._changed.tell()

    def cancel(self) -> None:
        """End the sweep; the gain is set back."""
        if self.fraction is not None:
            self._engine.send(CancelSweep())

    def use(self) -> None:
        """Set the gain that is advised."""
        if self.advice is not None and self.swept is not None and self.is_current:
            self.set_gain(self.swept.stage, self.advice.gain_db)

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        match event:
            case SweepPoint() if event.id == self._id:
                from yarddial.analysis.levels.advice import Step

                step = Step(event.gain_db, event.floor_dbfs_hz, event.channel_dbfs, event.width_hz, event.clipped_share)
                self.steps, self.fraction = (*self.steps, step), event.fraction
            case SweepDone() if event.id == self._id:
                self._finish(event.reason)
            case Stopped() if self.fraction is not None:
                self._finish("the receiver stopped")
            case _:
                return
        self._changed.tell()

    def _finish(self, reason: str) -> None:
        self.fraction, self.trouble = None, reason
        if reason or self.swept is None:
            return
        from yarddial.analysis.levels.advice import advise

        try:
            self.advice = advise(self.steps)
        except BadSamples as error:
            self.trouble = str(error)
            return
        where = format_frequency(self.swept.dial_hz)
        text = (
            f"Gain '{self.swept.stage}' of {self.swept.receiver} swept at {where}: {self.advice.gain_db:g} dB advised"
        )
        data = {"advice": msgspec.to_builtins(self.advice), "steps": msgspec.to_builtins(self.steps)}
        self._log.add(
            Entry(station=self._desk.station.name, kind="levels", route=self.swept.route, text=text, data=data)
        )

    def _here(self, stage: str) -> Swept:
        line, dial_hz = self._desk.line, self._desk.station.dial_hz
        others = tuple((one.name, one.set_db) for one in line.receiver.gain_stages if one.name != stage)
        return Swept(line.receiver.name, line.name, dial_hz, stage, others)

    def _moved(self) -> None:
        if self.fraction is not None and not self.is_current:
            self.cancel()
        self._changed.tell()
