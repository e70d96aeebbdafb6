"""Interference search: one step by the person, one record by the receiver, until a source is named."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.engine.jobs.lease import Ending
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedInterferenceSearch
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.spurious.span_recording import SpanRecording, SpanSetting
from yarddial.session.station.desk import Desk

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.span import Span
    from yarddial.analysis.interference.search import SearchRecord, SearchStep, SearchVerdict

# Long enough to separate 100 from 120 Hz.
RECORD_S = 1.0
# Fine enough for the lines of a weak comb.
FFT_BINS = 16_384
INTERFERENCE_SEARCH = JobKind("hunt", "work", "the hunt for interference", "a look of the hunt is under way")


class InterferenceSearch:
    """One search at a time, at the dial; its result stays until the next begins."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, log: LogKeeper
    ) -> None:
        self._desk, self._live_receiver, self._log = desk, live_receiver, log
        self._records = SpanRecording(desk, live_receiver, jobs, calibration, INTERFERENCE_SEARCH)
        self._changed = Listeners()
        self._place: tuple[float, str] = (0.0, "")
        self._step: SearchStep | None = None
        self.search: SearchRecord | None = None
        self.trouble = ""

    def on_search_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new records, begin and end."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while the receiver records."""
        return self._records.running

    @property
    def step(self) -> "SearchStep | None":
        """Next step; None when the search is over."""
        return None if self.search is None else self.search.next_step()

    @property
    def verdict(self) -> "SearchVerdict | None":
        """Verdict on the source so far."""
        return None if self.search is None else self.search.verdict()

    def begin(
        self, rooms: tuple[str, ...], devices: dict[str, tuple[str, ...]] | None = None, *, can_choke: bool = True,
        can_mains: bool = True, has_battery: bool = True,
    ) -> None:  # fmt: skip
        """Begin a new search at the dial; `trouble` says why it cannot.

        rooms : the house's circuits by name. The others say what the person can do.
        """
        from yarddial.analysis.interference.search import SearchRecord

        if why := self.why_not_begin():
            self.trouble = why
            self._changed.tell()
            return
        self._records.cancel()
        own_mains_hz = self._desk.station.mains_hz
        self.search = SearchRecord(rooms, devices or {}, can_choke, can_mains, has_battery, own_mains_hz)
        self._place, self.trouble = (self._desk.station.dial_hz, self._desk.route.name), ""
        self._changed.tell()

    def why_not_begin(self) -> str:
        """Reason why nothing can be measured at the dial now; empty when it can."""
        if why := self._desk.route.why_not(self._desk.station.dial_hz):
            return why
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        return "a recording plays: nothing can be switched off in it" if self._live_receiver.plays else ""

    def why_not(self) -> str:
        """Reason why it cannot record now; empty when it can."""
        if self.search is None:
            return "say first which circuits the house has"
        if why := self._records.why_not() or self.why_not_begin():
            return why
        if self._place != (self._desk.station.dial_hz, self._desk.route.name):
            return "the dial or the route was changed: go back there, or begin anew"
        return ""

    def record(self) -> None:
        """Record, after the person has done the step."""
        step = self.step
        if step is None or self.why_not():
            return
        self._step, self.trouble = step, ""
        route = self._desk.route.at(self._desk.station.dial_hz)
        # Use the first record's conversion from dBFS to dBm for all.
        first = self.search is not None and not self.search.results
        setting = SpanSetting("" if first else "scan", 0.0, route, settings_for(route))
        self._records.begin([setting], self._seen, self._ended, RECORD_S, bins=FFT_BINS)
        self._changed.tell()

    def cancel(self) -> None:
        """Cancel the present record; earlier results stay."""
        self._records.cancel()

    def _seen(self, setting: SpanSetting, span: "Span") -> None:
        from yarddial.analysis.interference.fingerprint import AirRecord

        if self.search is None or self._step is None:
            return
        # Use the alias-free part only.
        edge = int(0.1 * span.level_dbm.size)
        level = span.level_dbm[edge:-edge]
        record = AirRecord(span.low_hz + edge * span.step_hz, span.step_hz, level, self._records.pulses)
        self.search = self.search.after(self._step, record)
        if self.search.next_step() is None:
            self._note()

    def _ended(self, ending: Ending) -> None:
        self.trouble = "" if ending.how == "done" else ending.reason
        self._changed.tell()

    def _note(self) -> None:
        """Log the whole search as one entry."""
        search = self.search
        if search is None:
            return
        verdict = search.verdict()
        what = search.seen.words if search.seen is not None else ""
        steps = tuple((result.step.words, round(result.strength_db, 2)) for result in search.results)
        self._log.add(
            Entry(
                station=self._desk.station.name, kind="hunt", route=self._place[1],
                text=f"{verdict.sentence} {verdict.advice}".strip(),
                data=LoggedInterferenceSearch(what, steps, verdict.culprit),
            )
        )  # fmt: skip


def _make(of: CalibrationTopics) -> InterferenceSearch:
    return InterferenceSearch(of.desk, of.live_receiver, of.jobs, of.calibration, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(INTERFERENCE_SEARCH,),
    is_under_way=lambda search: search.running,
    logs=(LoggedInterferenceSearch,),
)
