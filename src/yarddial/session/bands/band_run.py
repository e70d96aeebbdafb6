"""Proof of all bands: measure a known station, test the span, log the result, band by band; resumes after a kill."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry, utc_now
from yarddial.records.log_data import LoggedBandRun
from yarddial.session.activity import Declaration
from yarddial.session.bands.band_board import RUN_KIND, BandBoard
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.board.row import BandRow

# Polls without progress of the receiver after which a band counts as failed.
PATIENCE_POLLS = 4_000
BAND_RUN = JobKind(
    "band_run",
    "work",
    "the proof of all bands",
    "the bands are being proven",
    tunes=False,
    outlives=True,
    asks_hands=True,
)


class BandRun(Job):
    """One run at a time; finished bands are in the log and are not repeated."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        calibration: Calibration,
        span_test: SpanTest,
        board: BandBoard,
        log: LogKeeper,
        hands: Hands,
    ) -> None:
        self._hands = hands
        self._desk, self._live_receiver, self._jobs, self._calibration = desk, live_receiver, jobs, calibration
        self._span_test, self._board, self._log = span_test, board, log
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._left: list[BandRow] = []
        self._now: BandRow | None = None
        self._stage = ""
        self._waited = 0
        self._run = ""
        # Why bands were left out: their receiver has failed.
        self._left_out = ""
        # Name of the yard whose bands they are; opening another yard ends the run.
        self._yard = ""
        self.count = 0
        self.trouble = ""

    def on_run_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for the run's begin, progress and end."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while a run is in progress."""
        return self._lease is not None

    @property
    def ahead(self) -> tuple[str, ...]:
        """Remaining bands, the present one first."""
        rows = self._left if self._now is None else [self._now, *self._left]
        return tuple(row.band.name for row in rows)

    @property
    def doing(self) -> str:
        """Present band and progress."""
        if self._now is None:
            return ""
        number = self.count - len(self._left)
        what = "measuring" if self._stage == "measure" else "testing the span"
        if self._stage == "hand":
            what = self._hands.why_not(self._now.route)
        return f"{self._now.band.name}, {number} of {self.count}: {what}"

    def unfinished(self) -> str:
        """Name of an unfinished run in the log; empty without one."""
        for entry in self._log.entries(RUN_KIND, self._desk.station.name, limit=1):
            if isinstance(entry.data, LoggedBandRun):
                return "" if entry.data.ended else entry.data.run
        return ""

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if why_not := self._jobs.why_not(BAND_RUN):
            return why_not
        if self._live_receiver.plays:
            return "a recording plays: end it first"
        return ""

    def start(self) -> None:
        """Begin a run, or resume an unfinished one."""
        if self.why_not():
            return
        lease = self._jobs.request(BAND_RUN, self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        lease.restore_with(self._desk.restorer())
        self.trouble, self._left_out, self._yard = "", "", self._desk.station.name
        self._run = self.unfinished()
        if not self._run:
            self._run = utc_now()
            self._tell("Proof of all bands begun", LoggedBandRun(self._run))
        done = self._done()
        # Sorted by route, so that plugs are moved little and receivers change rarely.
        rows = [row for row in self._board.rows() if row.route and row.band.name not in done]
        order = self._hands.in_order(tuple(sorted(row.route for row in rows)))
        rows.sort(key=lambda row: (order.index(row.route), row.band.low_hz))
        self._left, self.count = rows, len(rows)
        self._next()

    def cancel(self) -> None:
        """Stop; the run can be resumed."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def ended(self, ending: Ending) -> None:
        """Clean up; the dial is back, and finished bands are in the log."""
        self._lease, self._now, self._left = None, None, []
        self._hands.ask("")
        if ending.how == "cancelled":
            self.trouble = "stopped: what was proven is in the log, and the run can be gone on with"
        elif ending.how != "done":
            self.trouble = f"stopped, {ending.reason}: the run can be gone on with"
        self._changed.tell()

    def why_stale(self) -> str:
        """A run belongs to one yard."""
        return "" if self._desk.station.name == self._yard else "another yard was opened"

    def poll(self) -> None:
        """Continue when the present measurement or test has ended, or a hand has connected the band's route."""
        if self._now is None:
            return
        if self._stage == "hand":
            if not self._hands.moves(self._now.route):
                self._prove()
            return
        self._waited += 1
        if self._stage == "measure" and self._calibration.measuring is None:
            self._test()
        elif self._stage == "wait" and self._has_lost_receiver():
            self._finish()
        elif self._stage == "wait" and (not self._span_test.why_not(self._lease) or self._waited > PATIENCE_POLLS):
            self._begin_test()
        elif self._stage == "test" and not self._span_test.running:
            self._finish()

    def _has_lost_receiver(self) -> bool:
        """Return True when the receiver was started for this band and has ended by a failure."""
        return bool(self._live_receiver.trouble) and not self._live_receiver.wanted

    def _leave_out(self, route_name: str) -> None:
        """Leave out what is left on a receiver that has failed; nobody waits for it band by band."""
        lost = self._desk.station.resolve(route_name).receiver.name
        resolve = self._desk.station.resolve
        self._left = [row for row in self._left if resolve(row.route).receiver.name != lost]

    def _next(self) -> None:
        if not self._left and self._left_out:
            # Bands without their receiver are neither proven nor done with: the run can be gone on with.
            if self._lease is not None:
                self._lease.end("failed", self._left_out)
            return
        if not self._left:
            self._tell(f"Proof of all bands ended: {self.count} in this sitting", LoggedBandRun(self._run, ended=True))
            if self._lease is not None:
                self._lease.end()
            return
        self._now, self._waited = self._left.pop(0), 0
        self._board.go(self._now)
        if self._hands.moves(self._now.route):
            self._stage = "hand"
            self._hands.ask(self._now.route)
            self._changed.tell()
        else:
            self._prove()

    def _prove(self) -> None:
        self._hands.ask("")
        if self._calibration.reference() is not None and not self._calibration.why_not_measure(within=self._lease):
            self._stage = "measure"
            self._calibration.measure(within=self._lease)
        else:
            self._test()
        self._changed.tell()

    def _test(self) -> None:
        if not self._live_receiver.wanted:
            self._live_receiver.start(self._desk.route)
        self._stage, self._waited = "wait", 0
        self._changed.tell()

    def _begin_test(self) -> None:
        self._stage = "test"
        self._span_test.test(self._lease)
        self._changed.tell()

    def _finish(self) -> None:
        row, span_test = self._now, self._span_test
        assert row is not None
        counts = {v: sum(j.judgement.verdict == v for j in span_test.judged) for v in ("true", "ghost", "unsure")}
        lost = self._live_receiver.trouble if self._has_lost_receiver() else ""
        failed = lost or span_test.trouble
        text = f"{row.band.name} over {row.route}: "
        text += (
            f"not tested, {failed}"
            if failed
            else f"{counts['true']} true, {counts['ghost']} ghost{'s' if counts['ghost'] != 1 else ''}"
        )
        data = LoggedBandRun(self._run, False, row.band.name, failed, **counts)
        self._tell(text, data, row.route)
        if lost:
            self._left_out = lost
            self._leave_out(row.route)
        self._next()

    def _done(self) -> set[str]:
        """Bands that need no proof any more; those that could not be tested are tried again."""
        return {
            entry.data.band
            for entry in self._log.entries(RUN_KIND, self._desk.station.name)
            if isinstance(entry.data, LoggedBandRun)
            and entry.data.run == self._run
            and entry.data.band
            and not entry.data.failed
        }

    def _tell(self, text: str, data: LoggedBandRun, route: str = "") -> None:
        entry = Entry(station=self._desk.station.name, kind=RUN_KIND, route=route, text=text, data=data)
        self._log.add(entry)


class BandRunTopics(CalibrationTopics, Protocol):
    """What this activity needs of the session."""

    @property
    def span_test(self) -> SpanTest:
        """The span test."""
        ...

    @property
    def board(self) -> BandBoard:
        """The overview of bands."""
        ...


def _make(of: BandRunTopics) -> BandRun:
    return BandRun(of.desk, of.live_receiver, of.jobs, of.calibration, of.span_test, of.board, of.log, of.hands)


DECLARATION = Declaration(
    make=_make,
    kinds=(BAND_RUN,),
    begin={BAND_RUN.name: BandRun.start},
    is_under_way=lambda run: run.running,
    poll=BandRun.poll,
    logs=(LoggedBandRun,),
)
