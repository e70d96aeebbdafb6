"""The hunt for interference: one step of a person, one look of the receiver, until somebody is named."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.engine.jobs.lease import Ending
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedHunt
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.spurious.span_looks import SpanLooks, SpanSetting
from yarddial.session.station.desk import Desk

if TYPE_CHECKING:
    # Not needed before the first hunt.
    from yarddial.analysis.ghosts.span import Span
    from yarddial.analysis.hunt.hunt import Hunt, HuntStep, HuntVerdict

# Long enough to tell 100 from 120 Hz.
LOOK_S = 1.0
# Fine enough for the lines of a weak comb.
FFT_BINS = 16_384
INTERFERENCE_SEARCH = JobKind("hunt", "work", "the hunt for interference", "a look of the hunt is under way")


class InterferenceHunt:
    """One hunt at a time, at the dial's place; what was found stays until another begins."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, log: LogKeeper
    ) -> None:
        self._desk, self._live_receiver, self._log = desk, live_receiver, log
        self._looks = SpanLooks(desk, live_receiver, jobs, calibration, INTERFERENCE_SEARCH)
        self._changed = Listeners()
        self._place: tuple[float, str] = (0.0, "")
        self._step: HuntStep | None = None
        self.hunt: Hunt | None = None
        self.trouble = ""

    def on_hunt_changed(self, listener: Listener) -> Callable[[], None]:
        """A look came, or the hunt began or ended."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while the receiver looks."""
        return self._looks.running

    @property
    def step(self) -> "HuntStep | None":
        """What to do next; None where nothing is left to do."""
        return None if self.hunt is None else self.hunt.next_step()

    @property
    def verdict(self) -> "HuntVerdict | None":
        """How it stands."""
        return None if self.hunt is None else self.hunt.verdict()

    def begin(
        self, rooms: tuple[str, ...], devices: dict[str, tuple[str, ...]] | None = None, *, can_choke: bool = True,
        can_mains: bool = True, has_battery: bool = True,
    ) -> None:  # fmt: skip
        """Begin anew where the dial stands.

        rooms : the house's circuits by name. The others say what the person can do.
        """
        from yarddial.analysis.hunt.hunt import Hunt

        self._looks.cancel()
        self.hunt = Hunt(rooms, devices or {}, can_choke, can_mains, has_battery)
        self._place, self.trouble = (self._desk.station.dial_hz, self._desk.line.name), ""
        self._changed.tell()

    def why_not(self) -> str:
        """Why it cannot look just now, or an empty text."""
        if self.hunt is None:
            return "say first which circuits the house has"
        if why := self._looks.why_not():
            return why
        if why := self._desk.line.why_not(self._desk.station.dial_hz):
            return why
        if self._place != (self._desk.station.dial_hz, self._desk.line.name):
            return "the dial or the route was changed: go back there, or begin anew"
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        return "a recording plays: nothing can be switched off in it" if self._live_receiver.plays else ""

    def look(self) -> None:
        """The person has done what the step asks: look."""
        step = self.step
        if step is None or self.why_not():
            return
        self._step, self.trouble = step, ""
        line = self._desk.line.at(self._desk.station.dial_hz)
        # The first look says what dBFS are in dBm; the same holds for all.
        first = self.hunt is not None and not self.hunt.results
        setting = SpanSetting("" if first else "scan", 0.0, line, settings_for(line))
        self._looks.begin([setting], self._seen, self._ended, LOOK_S, bins=FFT_BINS)
        self._changed.tell()

    def cancel(self) -> None:
        """End the look under way; what was found so far stays."""
        self._looks.cancel()

    def _seen(self, setting: SpanSetting, span: "Span") -> None:
        from yarddial.analysis.hunt.fingerprint import AirLook

        if self.hunt is None or self._step is None:
            return
        # Of the alias-free part alone.
        edge = int(0.1 * span.level_dbm.size)
        level = span.level_dbm[edge:-edge]
        look = AirLook(span.low_hz + edge * span.step_hz, span.step_hz, level, self._looks.pulses)
        self.hunt = self.hunt.after(self._step, look)
        if self.hunt.next_step() is None:
            self._note()

    def _ended(self, ending: Ending) -> None:
        self.trouble = "" if ending.how == "done" else ending.reason
        self._changed.tell()

    def _note(self) -> None:
        """The whole hunt as one entry."""
        hunt = self.hunt
        if hunt is None:
            return
        verdict = hunt.verdict()
        what = hunt.seen.words if hunt.seen is not None else ""
        steps = tuple((result.step.words, round(result.strength_db, 2)) for result in hunt.results)
        self._log.add(
            Entry(
                station=self._desk.station.name, kind="hunt", route=self._place[1],
                text=f"{verdict.sentence} {verdict.advice}".strip(), data=LoggedHunt(what, steps, verdict.culprit),
            )
        )  # fmt: skip


def _make(of: CalibrationTopics) -> InterferenceHunt:
    return InterferenceHunt(of.desk, of.live_receiver, of.jobs, of.calibration, of.log)


DECLARATION = Declaration(
    make=_make, kinds=(INTERFERENCE_SEARCH,), is_under_way=lambda hunt: hunt.running, logs=(LoggedHunt,)
)
