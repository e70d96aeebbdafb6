"""All bands proven in turn: a known station measured, the span tested, a line in the log; it goes on after a kill."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.records.entry import Entry, utc_now
from yarddial.session.board import Board
from yarddial.session.desk import Desk
from yarddial.session.ghosting import Ghosting
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import Reception
from yarddial.session.truing import Truing

if TYPE_CHECKING:
    # Not needed before the first paint.
    from yarddial.analysis.board.row import Row

# Polls without the receiver getting anywhere, from which a band is left and said to have failed.
PATIENCE_POLLS = 4_000


class BandRun:
    """One run at a time, band by band; what is done is in the log, so that it is never done twice."""

    def __init__(
        self, desk: Desk, reception: Reception, truing: Truing, ghosting: Ghosting, board: Board, log: LogKeeper
    ) -> None:
        self._desk, self._reception, self._truing = desk, reception, truing
        self._ghosting, self._board, self._log = ghosting, board, log
        self._changed = Listeners()
        self._left: list[Row] = []
        self._now: Row | None = None
        self._stage = ""
        self._waited = 0
        self._run = ""
        # Whose bands they are: another yard that is opened ends the run.
        self._yard = ""
        self.count = 0
        self.trouble = ""

    def on_run_changed(self, listener: Listener) -> Callable[[], None]:
        """It moved on, began or ended."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while bands are proven."""
        return self._now is not None

    @property
    def doing(self) -> str:
        """Which band, and how far it is."""
        if self._now is None:
            return ""
        number = self.count - len(self._left)
        what = "measuring" if self._stage == "measure" else "testing the span"
        return f"{self._now.band.name}, {number} of {self.count}: {what}"

    def unfinished(self) -> str:
        """The run that was begun and not ended, by its name in the log; empty where there is none."""
        for entry in self._log.entries:
            if entry.station == self._desk.station.name and entry.kind == "band run":
                return "" if entry.data.get("ended") else str(entry.data.get("run", ""))
        return ""

    def why_not(self) -> str:
        """Why it cannot begin just now, or an empty text."""
        if self.running:
            return "the bands are being proven"
        if self._truing.occupied or self._truing.measuring is not None:
            return self._truing.occupied or "a measurement is under way"
        if self._reception.plays:
            return "a recording plays: end it first"
        return ""

    def start(self) -> None:
        """Begin, or go on with a run that did not come to its end."""
        if self.why_not():
            return
        self.trouble, self._yard = "", self._desk.station.name
        self._run = self.unfinished()
        if not self._run:
            self._run = utc_now()
            self._tell("Proof of all bands begun", {"run": self._run})
        done = self._done()
        # Route by route, so that receivers are changed as seldom as can be.
        rows = [row for row in self._board.rows() if row.route and row.band.name not in done]
        rows.sort(key=lambda row: (row.route, row.band.low_hz))
        self._left, self.count = rows, len(rows)
        self._next()

    def cancel(self) -> None:
        """Stop; it can be gone on with."""
        if self.running:
            self._now, self._left = None, []
            self._truing.cancel()
            self._ghosting.cancel()
            self.trouble = "stopped: what was proven is in the log, and the run can be gone on with"
            self._changed.tell()

    def poll(self) -> None:
        """Move on when the measurement or the test under way has ended."""
        if self._now is None:
            return
        if self._desk.station.name != self._yard:
            self.cancel()
            return
        self._waited += 1
        if self._stage == "measure" and self._truing.measuring is None:
            self._test()
        elif self._stage == "wait" and (not self._ghosting.why_not() or self._waited > PATIENCE_POLLS):
            self._begin_test()
        elif self._stage == "test" and not self._ghosting.running:
            self._finish()

    def _next(self) -> None:
        if not self._left:
            self._now = None
            self._tell(f"Proof of all bands ended: {self.count} in this sitting", {"run": self._run, "ended": True})
            self._changed.tell()
            return
        self._now, self._waited = self._left.pop(0), 0
        self._board.go(self._now)
        if self._truing.reference() is not None and not self._truing.why_not_measure():
            self._stage = "measure"
            self._truing.measure()
        else:
            self._test()
        self._changed.tell()

    def _test(self) -> None:
        if not self._reception.wanted:
            self._reception.start(self._desk.line)
        self._truing.follow_dial()
        self._stage, self._waited = "wait", 0
        self._changed.tell()

    def _begin_test(self) -> None:
        self._stage = "test"
        self._ghosting.test()
        self._changed.tell()

    def _finish(self) -> None:
        row, ghosting = self._now, self._ghosting
        assert row is not None
        counts = {v: sum(j.judgement.verdict == v for j in ghosting.judged) for v in ("true", "ghost", "unsure")}
        failed = ghosting.trouble or (self._reception.trouble if not ghosting.judged and not ghosting.before else "")
        text = f"{row.band.name} over {row.route}: "
        text += (
            f"not tested, {failed}"
            if failed
            else f"{counts['true']} true, {counts['ghost']} ghost{'s' if counts['ghost'] != 1 else ''}"
        )
        data: dict[str, object] = {"run": self._run, "band": row.band.name, "failed": failed, **counts}
        self._tell(text, data, row.route)
        self._next()

    def _done(self) -> set[str]:
        """Bands that need not be proven again; those that could not be tested are tried again."""
        return {
            str(entry.data["band"])
            for entry in self._log.entries
            if entry.kind == "band run" and entry.data.get("run") == self._run and entry.data.get("failed") == ""
        }

    def _tell(self, text: str, data: dict[str, object], route: str = "") -> None:
        entry = Entry(station=self._desk.station.name, kind="band run", route=route, text=text, data=data)
        self._log.add(entry)
