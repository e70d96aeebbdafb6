"""Long observation of a carrier: the oscillator's warm-up and stability."""

import contextlib
from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, TuneRefused
from yarddial.engine.jobs.lease import Ending, How, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedWatch
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import BadSamples
from yarddial.yard.frequency import format_frequency

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.stability.allan import Allan
    from yarddial.analysis.stability.track import Point
    from yarddial.analysis.stability.warm_up import WarmUp
    from yarddial.dsp.carrier import Carrier

# Selectable durations of a point: short ones follow a fast warm-up, long ones resolve more.
POINTS_S, POINT_S = (1.0, 5.0, 20.0), 5.0
# Maximum length of a run and its points; number of new points before a new fit.
RUN_S, MAX_POINTS, REFIT_POINTS = 3_600.0, 720, 6
# Give up after this many consecutive points without a carrier.
MAX_MISSED = 6
# An oscillator is warm when the remaining drift is below this share of the mode's tolerance; the fit's uncertainty must
# be smaller still.
SHARE_OF_MODE = 0.1
WATCH = JobKind("carrier_watch", "work", "the watch of a carrier", "a carrier is being watched")


class CarrierWatch(Job):
    """One run at a time. Each point is a short measurement of the carrier at the dial."""

    def __init__(
        self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration, log: LogKeeper
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._calibration, self._log = (
            desk,
            live_receiver,
            jobs,
            calibration,
            log,
        )
        self._changed = Listeners()
        self._lease: Lease | None = None
        # Points without a carrier: consecutive now, and in the whole run.
        self.missed_now = self.missed = 0
        self._begun_at_s = 0.0
        self._within_hz = 0.0
        self._counted_hz = 0.0
        self._place: tuple[float, str] = (0.0, "")
        self._watched_line = desk.route
        self.point_s = POINT_S
        self.points: tuple[Point, ...] = ()
        self.warm_up: WarmUp | None = None
        self.curve: tuple[Allan, ...] = ()
        self.trouble = ""
        self.latest: Carrier | None = None

    @property
    def running(self) -> bool:
        """True while the watch runs."""
        return self._lease is not None

    def on_watch_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new points, and for the begin and end of a run."""
        return self._changed.add(listener)

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        return self._calibration.why_not_measure(WATCH)

    def choose_point(self, point_s: float) -> None:
        """Set the duration of each point in the next run; a running one keeps its own."""
        if not self.running:
            self.point_s = point_s

    @property
    def tolerance_ppm(self) -> float:
        """Remaining drift that counts as warm: a tenth of the mode's tolerance, at the receiver's own frequency."""
        from yarddial.yard.modes import mode_named

        counted_hz = self._counted_hz or abs(self._desk.route.counted_hz(self._desk.station.dial_hz)) or 1e8
        return SHARE_OF_MODE * mode_named(self._desk.station.mode).tolerance_hz / counted_hz * 1e6

    def start(self) -> None:
        """Start a run, and the receiver where it is off."""
        reference = self._calibration.reference()
        if self.why_not() or reference is None:
            return
        self._desk.dial(reference.frequency_hz)
        lease = self._jobs.request(WATCH, self)
        if isinstance(lease, Refusal):
            return
        self._lease = lease
        if not self._live_receiver.wanted:
            self._live_receiver.start(self._desk.route)
        self._calibration.examine_dial(lease)
        state = self._calibration.state()
        self._within_hz = max(abs(state.error_hz) + 4 * state.sigma_hz, 30.0)
        self._counted_hz = abs(self._desk.route.counted_hz(reference.frequency_hz))
        self._place = (self._desk.station.dial_hz, self._desk.route.name)
        self._watched_line = self._desk.route.at(self._desk.station.dial_hz)
        self.points, self.warm_up, self.curve, self.trouble = (), None, (), ""
        self.missed_now = self.missed = 0
        self._next()
        self._changed.tell()

    def stop(self) -> None:
        """End the run; its result stays and is logged."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        match event:
            case Measured():
                self.latest = event.carrier
                self._keep(event.carrier.frequency_hz, event.carrier.sigma_hz, event.at_s)
            case NotMeasured():
                self.missed_now += 1
                self.missed += 1
                if self.missed_now >= MAX_MISSED:
                    self._end("failed", event.sentence)
                else:
                    self._next()
                    self._changed.tell()
            case TuneRefused():
                self._end("failed", event.sentence)
            case _:
                pass

    def why_stale(self) -> str:
        """Points at another frequency or with other settings are invalid."""
        if (self._desk.station.dial_hz, self._desk.route.name) != self._place:
            return "the dial was turned meanwhile"
        return "" if self._desk.route.at(self._place[0]) == self._watched_line else "the yard was changed meanwhile"

    def _keep(self, away_hz: float, sigma_hz: float, at_s: float) -> None:
        """Add a point; missed ones before it keep their time."""
        from yarddial.analysis.stability.track import Point

        # A fast crystal shows a steady carrier low: p = -error / counted.
        scale = -1e6 / self._counted_hz
        if not self.points:
            self._begun_at_s = at_s
        self.points = (*self.points, Point(at_s - self._begun_at_s, away_hz * scale, abs(sigma_hz * scale)))
        self.missed_now = 0
        if len(self.points) % max(REFIT_POINTS, len(self.points) // 20) == 0:
            self._fit()
        if len(self.points) + self.missed >= max(MAX_POINTS, RUN_S / self.point_s):
            self._end("done")
        else:
            self._next()
            self._changed.tell()

    def _fit(self) -> None:
        from yarddial.analysis.stability.allan import allan_deviation
        from yarddial.analysis.stability.warm_up import fit_warm_up

        # With too few points nothing is shown.
        with contextlib.suppress(BadSamples):
            self.warm_up = fit_warm_up(self.points, self.tolerance_ppm)
        with contextlib.suppress(BadSamples):
            # Exclude the warm-up from the stability.
            self.curve = allan_deviation(self.points if self.warm_up is None else self.warm_up.without(self.points))

    def _next(self) -> None:
        if self._lease is not None:
            self._lease.ask(Measure(self.point_s, self._within_hz))

    def _end(self, how: How, reason: str = "") -> None:
        if self._lease is not None:
            self._lease.end(how, reason)

    def ended(self, ending: Ending) -> None:
        """Log the result, which stays."""
        self._lease, self.trouble = None, "" if ending.how in ("done", "cancelled") else ending.reason
        self._fit()
        if self.warm_up is not None:
            dial_hz, route = self._place
            text = f"Carrier at {format_frequency(dial_hz)} watched for {self.points[-1].time_s / 60:.0f} min: "
            data = LoggedWatch(tuple((p.time_s, p.ppm, p.sigma_ppm) for p in self.points))
            entry = Entry(
                station=self._desk.station.name,
                kind="watch",
                route=route,
                text=text + self.warm_up.sentence(),
                data=data,
            )
            self._log.add(entry)
        self._changed.tell()


def _make(of: CalibrationTopics) -> CarrierWatch:
    return CarrierWatch(of.desk, of.live_receiver, of.jobs, of.calibration, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(WATCH,),
    begin={WATCH.name: CarrierWatch.start},
    is_under_way=lambda watch: watch.running,
    logs=(LoggedWatch,),
)
