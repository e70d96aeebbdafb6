"""Spectra of the span under several settings, for comparison; the receiver is restored afterwards."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Literal

import msgspec
import numpy as np

from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, SweepDone, SweepPoint, Tuned, TuneRefused
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.frequency_conversion import path_sense
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.span import Span

# Averaging time of one spectrum.
RECORD_S = 0.8
# Half width of the slice for a span record, hertz; the record itself needs no more.
HALF_WIDTH_HZ = 3_000.0


class SpanSetting(msgspec.Struct, frozen=True):
    """A setting to record: what is changed, by how much, over which route, with the request to its receiver.

    calibrated : convert to dBm by the step's own route and gain, not by the first record's.
    """

    change: Literal["", "centre", "gain", "rate", "route", "antenna", "cure", "scan"]
    amount: float
    route: ResolvedRoute
    ask: RequestedSettings
    calibrated: bool = False


class SpanRecording(Job):
    """One series of spectra at a time; `kind` is the job it runs as."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, kind: JobKind
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._calibration = desk, live_receiver, jobs, calibration
        self._kind = kind
        self._lease: Lease | None = None
        self._left: list[SpanSetting] = []
        self._count = 0
        self._place: tuple[float, str] = (0.0, "")
        self._line = desk.route
        self._record_s, self._bins = RECORD_S, 4096
        self._on_span: Callable[[SpanSetting, Span], None] = lambda step, span: None
        self._on_end: Callable[[Ending], None] = lambda ending: None
        # Modulation of the latest record's level at 100 and 120 Hz.
        self.pulses = (0.0, 0.0)
        # Offset from dBFS to dBm of the latest calibrated record.
        self.offset_db = 0.0
        self.now: SpanSetting | None = None

    @property
    def running(self) -> bool:
        """True while it records."""
        return self._lease is not None

    @property
    def fraction(self) -> float:
        """Share of the series that is done."""
        return (self._count - len(self._left) - 1) / max(self._count, 1) if self.running else 0.0

    def why_not(self, within: Lease | None = None) -> str:
        """Reason why another job prevents a begin now; empty when none does."""
        return self._jobs.why_not(self._kind, within)

    def begin(
        self, steps: Sequence[SpanSetting], on_span: Callable[[SpanSetting, "Span"], None],
        on_end: Callable[[Ending], None], record_s: float = RECORD_S, within: Lease | None = None, bins: int = 4096,
    ) -> None:  # fmt: skip
        """Record each setting; `on_end` gets the ending.

        record_s : duration of each. bins : of each span. within : the job of which it is a part.
        """
        lease = self._jobs.request(self._kind, self, within)
        if isinstance(lease, Refusal):
            return
        self._lease, self._record_s, self._bins = lease, record_s, bins
        self._left, self._count = list(steps), len(steps)
        self._on_span, self._on_end = on_span, on_end
        self._place, self._line = (self._desk.station.dial_hz, self._desk.route.name), self._desk.route
        self._next()

    def cancel(self) -> None:
        """Cancel the series."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        lease = self._lease
        if lease is None:
            return
        match event:
            case Tuned():
                lease.ask(Sweep(((),), HALF_WIDTH_HZ, 0.0, self._record_s, with_span=True, bins=self._bins))
            case TuneRefused():
                # Skip a setting that is unavailable here.
                self._next()
            case SweepPoint() if self.now is not None:
                self.pulses = event.pulses
                self._on_span(self.now, self._span(self.now, event))
                self._next()
            case SweepDone() if event.reason:
                lease.end("failed", event.reason)
            case _:
                pass

    def why_stale(self) -> str:
        """A change of dial or yard ends the series."""
        if (self._desk.station.dial_hz, self._desk.route.name) != self._place:
            return "the dial was turned meanwhile: test it again"
        return "" if self._desk.route == self._line else "the yard was changed meanwhile: test it again"

    def ended(self, ending: Ending) -> None:
        """Note the end of the series."""
        self.now, self._left, self._lease = None, [], None
        self._on_end(ending)

    def _next(self) -> None:
        if self._lease is None:
            return
        if not self._left:
            self._lease.end()
            return
        self.now = self._left.pop(0)
        self._live_receiver.tuner.tune_with(self.now.route, self.now.ask, HALF_WIDTH_HZ, self._lease, anew=True)

    def _span(self, step: SpanSetting, point: SweepPoint) -> "Span":
        """Spectrum on the dial: in dBm as calibrated, or by the expected noise."""
        from yarddial.analysis.ghosts.span import Span

        route, dial_hz = step.route, step.route.dial_hz
        sense = path_sense(route.counted_stages(dial_hz))
        bins = point.span.size
        tuning = point.tuning
        bin_hz = tuning.rate_hz / bins
        offset_db = self.offset_db
        if step.change in ("", "route") or step.calibrated:
            offset_db = self._to_dbm(route, point)
        if step.change == "":
            self.offset_db = offset_db
        # The peak bin of a line holds two thirds of its power in a Hann window.
        level = 10 * np.log10(np.maximum(point.span, 1e-24) * 1.5 * bin_hz) + offset_db
        ends = [route.dial_of(tuning.centre_hz + side * tuning.rate_hz / 2, dial_hz) for side in (-1, 1)]
        centre_hz = route.dial_of(tuning.centre_hz, dial_hz)
        low_hz = min(ends) + (0.0 if sense > 0 else bin_hz)
        within_hz = 2 * bin_hz
        if step.change == "route":
            sigmas_hz = (self._calibration.state(route, dial_hz).sigma_hz, self._calibration.state().sigma_hz)
            within_hz += 2 * float(np.hypot(*sigmas_hz))
        return Span(
            low_hz, bin_hz, level if sense > 0 else level[::-1].copy(), centre_hz, tuning.rate_hz, within_hz,
            point.clipped_share,
        )  # fmt: skip

    def _to_dbm(self, route: ResolvedRoute, point: SweepPoint) -> float:
        from yarddial.analysis.levels.level_line import level_line, socket_offset_db

        offset = route.receiver.level_offset(route.port)
        if offset is not None:
            return offset.value
        outside = self._desk.outside
        by_noise_db = socket_offset_db(route, outside, point.floor_dbfs_hz)
        if by_noise_db is not None:
            return by_noise_db
        # The ADC hides the incoming noise; use the expected floor as a rough substitute.
        return level_line(route, outside, 1.0).plates[-1].floor_dbm - point.floor_dbfs_hz
