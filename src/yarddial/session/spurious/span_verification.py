"""Span test: record the span under changed settings, and judge every peak."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.jobs.lease import Ending, Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPeak, LoggedSpanTest
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.spurious.judged_span import MAX_PEAKS, PEAK_OVER_FLOOR_DB, STRONG_OVER_DB, JudgedPeak, Recorded
from yarddial.session.spurious.span_recording import SpanRecording, SpanSetting
from yarddial.session.spurious.strong_signals import SAME_HZ, StrongSignals
from yarddial.session.station.desk import Desk
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import path_sense
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.judging import SettingChange, SpanRecord
    from yarddial.analysis.ghosts.scene import Ghost, Scene
    from yarddial.analysis.ghosts.span import Span
    from yarddial.analysis.interference.fingerprint import Fingerprint
    from yarddial.yard.strong import Strong

# Shift of the centre as a share of the rate, and the least reduction of gain.
MOVES_SHARE, FALLS_DB = 0.064, 7.0
# Without the antenna its signals fall by more than the first; this many that do not are no coincidence.
GONE_DB, MIN_WITNESSES = 6.0, 2
SPAN_TEST = JobKind("span_test", "work", "the test of the span", "the span is being tested")


class SpanTest:
    """One span test at a time; the receiver is restored afterwards."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, log: LogKeeper,
        strong: StrongSignals,
    ) -> None:  # fmt: skip
        self._desk, self._live_receiver, self._calibration, self._log = desk, live_receiver, calibration, log
        self._records_at = SpanRecording(desk, live_receiver, jobs, calibration, SPAN_TEST)
        self._changed = Listeners()
        self._place: tuple[float, str] = (0.0, "")
        self._records: list[SpanRecord] = []
        self._first: SpanSetting | None = None
        self._within: Lease | None = None
        self.before: Span | None = None
        # The span whose comb is known, and the comb.
        self._comb_of: Span | None = None
        self._comb: Fingerprint | None = None
        self.route: ResolvedRoute | None = None
        self.judged: tuple[JudgedPeak, ...] = ()
        self.ghosts: tuple[Ghost, ...] = ()
        self.strong = strong
        self._seen_here: tuple[Strong, ...] = ()
        self.trouble = ""
        # The person ended the last test, which is no fault.
        self.was_cancelled = False
        # Why the record without the antenna does not count; empty otherwise.
        self.not_off = ""

    def on_span_test_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new records, begin and end."""
        return self._changed.add(listener)

    @property
    def running(self) -> bool:
        """True while the span is being tested."""
        return self._records_at.running

    @property
    def fraction(self) -> float:
        """Share of the test that is done."""
        return self._records_at.fraction

    @property
    def doing(self) -> str:
        """The present step, in words."""
        now = self._records_at.now
        if now is None:
            return ""
        return {
            "": "as it is", "centre": "with the centre moved", "gain": "with less gain", "rate": "at another rate",
            "route": f"over {now.route.name}", "antenna": "without the antenna",
        }[now.change]  # fmt: skip

    def why_not(self, within: Lease | None = None) -> str:
        """Reason why it cannot begin now; empty when it can."""
        if why := self._records_at.why_not(within):
            return why
        if why := self._desk.route.why_not(self._desk.station.dial_hz):
            return why
        if not self._live_receiver.wanted:
            return "the receiver is off: Space starts it"
        if self._live_receiver.plays:
            return "a recording plays: its centre cannot be moved"
        return ""

    @property
    def changes(self) -> "tuple[SettingChange, ...]":
        """Changes that were recorded validly."""
        return tuple(record.change for record in self._records)

    def at_dial(self) -> JudgedPeak | None:
        """Judged peak nearest to the dial."""
        before, dial_hz = self.before, self._desk.station.dial_hz
        if before is None or not self.judged:
            return None
        error_hz = self._calibration.state().error_hz
        reach_hz = 4 * before.within_hz + 2 * self._calibration.state().sigma_hz
        near = [j for j in self.judged if abs(j.peak.dial_hz - dial_hz - error_hz) <= reach_hz]
        near = near or [j for j in self.judged if abs(j.peak.dial_hz - dial_hz) <= reach_hz]
        return max(near, key=lambda j: j.peak.level_dbm, default=None)

    def comb_at_dial(self) -> "Fingerprint | None":
        """Comb with a line at the dial, which is interference through the antenna."""
        here, before = self.at_dial(), self.before
        if here is None or before is None or here.judgement.verdict != "true":
            return None
        if self._comb_of is not before:
            from yarddial.analysis.interference.fingerprint import comb_of

            self._comb_of, self._comb = before, comb_of(before)
        comb = self._comb
        return comb if comb is not None and comb.holds(here.peak.dial_hz, 2 * before.step_hz) else None

    def test(self, within: Lease | None = None) -> None:
        """Record the span as it is, then under one change after the other, and judge every peak.

        within : the job of which it is a part.
        """
        if self.why_not(within):
            return
        self.trouble, self._records, self.judged, self.before, self._seen_here = "", [], (), None, ()
        self.not_off = ""
        self._place = (self._desk.station.dial_hz, self._desk.route.name)
        self._begin(self._steps(), within)

    def why_not_without(self) -> str:
        """Reason why it cannot be recorded without the antenna now; empty when it can."""
        if self.before is None or self._first is None or not self.judged:
            return "test the span first"
        if self._first.route.name != self._desk.route.name:
            return "another route is set: test its span first"
        return self.why_not()

    def record_without_antenna(self) -> None:
        """Record once more after the person has disconnected the antenna, and judge every peak again."""
        if self.why_not_without() or self._first is None:
            return
        self.trouble = self.not_off = ""
        self._records = [record for record in self._records if record.change != "antenna"]
        self._place = (self._desk.station.dial_hz, self._desk.route.name)
        self._begin([SpanSetting("antenna", 0.0, self._first.route, self._first.ask)])

    def _begin(self, steps: list[SpanSetting], within: Lease | None = None) -> None:
        self._within = within
        self._records_at.begin(steps, self._seen, self._ended, within=within)
        self._changed.tell()

    def take_recorded(self, recorded: "Recorded", names: str) -> None:
        """Show the result of recordings instead of a test; remedies are not computed for them."""
        self.trouble, self.route, self._first = "", None, None
        self._place = (self._desk.station.dial_hz, self._desk.route.name)
        self.before, self.ghosts, self._records = recorded.before, recorded.ghosts, list(recorded.records)
        self.judged = tuple(JudgedPeak(peak, judgement) for peak, judgement in recorded.judged)
        self._note(f"Recordings {names}")
        self._changed.tell()

    def forget(self) -> None:
        """Drop all judgements, since the yard has changed."""
        self.not_off = ""
        self.before, self.route, self._first, self.trouble = None, None, None, ""
        self.judged, self.ghosts, self._records, self._seen_here = (), (), [], ()
        self._changed.tell()

    def cancel(self) -> None:
        """Cancel the test; earlier judgements are gone."""
        self._records_at.cancel()

    def _steps(self) -> list[SpanSetting]:
        station, route = self._desk.station, self._desk.route.at(self._desk.station.dial_hz)
        receiver, dial_hz = route.receiver, station.dial_hz
        ask = settings_for(route)
        moved_hz = round(MOVES_SHARE * receiver.rate_hz, -3)
        steps = [SpanSetting("", 0.0, route, ask)]
        for sign in (1, -1):
            moved = msgspec.structs.replace(ask, centre_hz=ask.centre_hz + sign * moved_hz)
            # On an inverted route the centre moves the other way on the dial.
            sense = path_sense(route.counted_stages(dial_hz))
            steps.append(SpanSetting("centre", sense * sign * moved_hz, route, moved))
        if (less := self._less_gain(route)) is not None:
            steps.append(SpanSetting("gain", less[0], route, msgspec.structs.replace(ask, gains_db=less[1])))
        others = [rate for rate in receiver.rates_hz if rate != receiver.rate_hz and self.is_clean_at(route, rate)]
        if others:
            rate_hz = min(others, key=lambda rate: abs(rate - receiver.rate_hz))
            changed = msgspec.structs.replace(ask, rate_hz=rate_hz)
            steps.append(SpanSetting("rate", rate_hz - receiver.rate_hz, route, changed))
        if (other := self._other_route(route)) is not None:
            steps.append(SpanSetting("route", 0.0, other, settings_for(other)))
        return steps

    def _less_gain(self, route: ResolvedRoute) -> tuple[float, tuple[tuple[str, float], ...]] | None:
        """First stage that can be lowered enough, with its reduction."""
        for stage in route.receiver.gain_stages:
            lower = [step for step in stage.steps_db if step <= stage.set_db - FALLS_DB]
            if lower:
                gains = tuple((n, max(lower) if n == stage.name else g) for n, g in route.receiver.gains_db())
                return stage.set_db - max(lower), gains
        return None

    def is_clean_at(self, route: ResolvedRoute, rate_hz: float) -> bool:
        """Return True for a rate without known losses that is not much higher than a working one."""
        lost = dict(route.receiver.lost_shares)
        return lost.get(rate_hz, 0.0) == 0.0 and rate_hz <= 1.3 * route.receiver.rate_hz

    @property
    def offset_db(self) -> float:
        """Offset from dBFS to dBm during the test."""
        return self._records_at.offset_db

    def _other_route(self, route: ResolvedRoute) -> ResolvedRoute | None:
        """A route to the same frequency with other oscillators, whose receiver has a driver."""
        dial_hz, mine = self._desk.station.dial_hz, [s.name for s in route.stages]
        for other in self._desk.station.resolved_routes():
            there = other.at(dial_hz)
            if there.why_not(dial_hz) or not there.receiver.device or [s.name for s in there.stages] == mine:
                continue
            if self._live_receiver.why_not_connected(there.name):
                continue
            if (there.antenna.name == route.antenna.name and there.transceiver is None) or not there.stages:
                return there
        return None

    def _seen(self, step: SpanSetting, span: "Span") -> None:
        from yarddial.analysis.ghosts.judging import SpanRecord

        if step.change == "":
            self.before, self.route, self._first = span, step.route, step
        elif self.before is not None and step.change != "cure" and step.change != "scan":
            shift_hz = 0.0
            if step.change == "route":
                shift_hz = (
                    self._calibration.state(step.route, self._place[0]).error_hz - self._calibration.state().error_hz
                )
            if step.change == "antenna" and (still := self._still_heard(span)):
                self.not_off = (
                    f"the antenna is not off: {still} signals judged true still stand; take it off, look again"
                )
                self._changed.tell()
                return
            same = self.route is not None and step.route.antenna.name == self.route.antenna.name
            self._records.append(SpanRecord(step.change, step.amount, span, shift_hz, same))
        self._changed.tell()

    def _still_heard(self, span: "Span") -> int:
        """Number of antenna signals that did not fall, when none did and they are no coincidence; else 0."""
        true = [j.peak for j in self.judged if j.judgement.verdict == "true" and span.covers(j.peak.dial_hz)]
        stay = [peak for peak in true if span.level_near(peak.dial_hz) > peak.level_dbm - GONE_DB]
        return len(true) if len(true) >= MIN_WITNESSES and len(stay) == len(true) else 0

    def _ended(self, ending: Ending) -> None:
        self.trouble, self.was_cancelled = ending.reason, ending.how == "cancelled"
        if ending.how == "done":
            self._finish()
            if steps := self._otherwise():
                self._begin(steps, self._within)
                return
            if not self.trouble and not self.not_off:
                self._note(f"Span around {format_frequency(self._place[0])}")
        self._changed.tell()

    def _otherwise(self) -> list[SpanSetting]:
        """Once: record at another rate when the first one left peaks undecided."""
        blind = any(j.judgement.missing == "rate" and "rate" in j.judgement.blind for j in self.judged)
        rated = [record.span.rate_hz for record in self._records if record.change == "rate"]
        if not blind or len(rated) != 1 or self._first is None or self._first.route.name != self._desk.route.name:
            return []
        route, ask = self._first.route, self._first.ask
        others = [r for r in route.receiver.rates_hz if r not in (ask.rate_hz, *rated) and self.is_clean_at(route, r)]
        if not others:
            return []
        rate_hz = min(others, key=lambda rate: abs(rate - ask.rate_hz))
        return [SpanSetting("rate", rate_hz - ask.rate_hz, route, msgspec.structs.replace(ask, rate_hz=rate_hz))]

    def sources(self, route: ResolvedRoute) -> "tuple[Strong, ...]":
        """Possible sources of spurious signals on a route: known on its antenna, and seen in the span."""
        here = self._seen_here if self.route is not None and route.antenna.name == self.route.antenna.name else ()
        seen_hz = [strong_signal.frequency_hz for strong_signal in here]
        known = self.strong.on_antenna(route)
        return (
            *here,
            *(
                strong_signal
                for strong_signal in known
                if all(abs(strong_signal.frequency_hz - hertz) > SAME_HZ for hertz in seen_hz)
            ),
        )

    def scene(self, route: ResolvedRoute) -> "Scene":
        """Scene of a route with the strong signals on its antenna.

        Seen signals are placed where the dial showed them, errors included: the path is taken as entered.
        """
        from yarddial.analysis.ghosts.from_yard import scene_of

        computed = scene_of(route, self.sources(route), self._calibration.oscillators)
        return msgspec.structs.replace(
            computed,
            stages=tuple(msgspec.structs.replace(stage, lo_error_hz=0.0) for stage in computed.stages),
            receiver=msgspec.structs.replace(computed.receiver, ppm=route.receiver.entered_ppm),
        )

    def _finish(self) -> None:
        from yarddial.analysis.ghosts.judging import causes, judge
        from yarddial.analysis.ghosts.prediction import predict
        from yarddial.dsp.carrier import CLIPPED_SHARE

        before, route = self.before, self.route
        if before is None or route is None:
            self.trouble = "nothing was seen"
            return
        share = max(before.clipped_share, *(record.span.clipped_share for record in self._records), 0.0)
        if share > CLIPPED_SHARE:
            self.trouble = (
                f"{share:.1%} of the samples are at full scale: what an overloaded ADC makes stands where signals do; "
                "lower the gain in Levels and test again"
            )
            return
        peaks = before.peaks(MAX_PEAKS, PEAK_OVER_FLOOR_DB)
        is_known = route.receiver.level_offset(route.port) is not None
        self._seen_here = self.strong.seen(
            route, before, [p for p in peaks if p.level_dbm > before.floor_dbm + STRONG_OVER_DB]
        )
        scene = self.scene(route)
        # Signals known on other antennas may be strong here too; check where their products would be.
        more = msgspec.structs.replace(scene, strong=self.strong.elsewhere(route))
        self.ghosts = (
            *predict(scene, before.centre_hz, before.rate_hz, before.floor_dbm, 3),
            *(
                g
                for g in predict(more, before.centre_hz, before.rate_hz, before.floor_dbm, 1)
                if g.kind in ("leak-through", "harmonic mixing")
            ),
        )
        judged = []
        for peak in peaks:
            level_dbm = peak.level_dbm if is_known else None
            able = causes(
                peak.dial_hz, level_dbm, self.ghosts, before.within_hz / 2, has_converter=bool(route.stages),
                seen=before,
            )  # fmt: skip
            judged.append(JudgedPeak(peak, judge(able, peak, self._records)))
        self.judged = tuple(judged)
        # Remember only signals that are not spurious themselves.
        ghosts_hz = [j.peak.dial_hz for j in judged if j.judgement.verdict == "ghost"]
        self.strong.keep(
            [strong_signal for strong_signal in self._seen_here if strong_signal.frequency_hz not in ghosts_hz]
        )

    def _note(self, what: str) -> None:
        counts = {v: sum(j.judgement.verdict == v for j in self.judged) for v in ("true", "ghost", "unsure")}
        ghosts = f"{counts['ghost']} ghost{'s' if counts['ghost'] != 1 else ''}"
        text = f"{what} tested: {counts['true']} true, {ghosts}, "
        floor_dbm = self.before.floor_dbm if self.before is not None else None
        data = LoggedSpanTest(
            tuple(
                LoggedPeak(
                    j.peak.dial_hz,
                    j.judgement.verdict,
                    j.judgement.best.words,
                    j.judgement.best.kind,
                    None if floor_dbm is None else round(j.peak.level_dbm - floor_dbm, 1),
                )
                for j in self.judged
            )
        )
        entry = Entry(
            station=self._desk.station.name, kind="ghosts", route=self._place[1],
            text=f"{text}{counts['unsure']} left open", data=data,
        )  # fmt: skip
        self._log.add(entry)
