"""Reading of the noise floor each minute until stopped, beside everything else."""

from collections.abc import Callable

import msgspec

from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, Stopped, SweepDone, SweepPoint
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedNoise, LoggedNoiseReading
from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.frequency import format_frequency, format_number
from yarddial.yard.plain_text import count_of

# Interval between readings, and duration of each.
PERIOD_S, DWELL_S = 60.0, 0.5
# Half width around the dial that is read, hertz; the floor is measured beside it.
WIDTH_HZ = 2_500.0
# Maximum number of readings: one day.
MAX_READINGS = 24 * 60
NOISE_WATCH = JobKind(
    "noise_watch", "recurring", "the noise watch", "the noise is being watched", tunes=False, outlives=True
)


class NoiseReading(msgspec.Struct, frozen=True):
    """The noise floor at one time, or the reason for a missing reading.

    at_s : seconds since the first. floor : dB relative to full scale and hertz, or dBm per hertz at the socket where
    the receiver's levels are calibrated; None where nothing could be read, with `why_not`.
    dial_hz, gains_db : dial and gains as acknowledged.
    """

    at_s: float
    floor: float | None
    unit: str
    dial_hz: float
    gains_db: tuple[tuple[str, float], ...] = ()
    why_not: str = ""


class NoiseWatch(Job):
    """One watch at a time. It never tunes and sets no gain: it reads at the dial, or says why it cannot."""

    def __init__(self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, log: LogKeeper) -> None:
        self._desk, self._live_receiver, self._jobs, self._log = desk, live_receiver, jobs, log
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._begun_s = 0.0
        # When the next reading is due; and when the present one was requested.
        self._due_s = 0.0
        self._asked_s: float | None = None
        self._dial_hz = 0.0
        self.readings: tuple[NoiseReading, ...] = ()
        self.trouble = ""

    @property
    def running(self) -> bool:
        """True while the watch runs."""
        return self._lease is not None

    def on_noise_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new readings, and for the begin and end of the watch."""
        return self._changed.add(listener)

    def why_not(self) -> str:
        """Reason why it cannot begin now; empty when it can."""
        return self._jobs.why_not(NOISE_WATCH)

    def start(self) -> None:
        """Start; the first reading is taken as soon as the receiver is free."""
        if self._lease is not None:
            return
        lease = self._jobs.request(NOISE_WATCH, self)
        if isinstance(lease, Refusal):
            self.trouble = lease.reason
            return
        self._lease, self.readings, self.trouble = lease, (), ""
        self._begun_s = self._due_s = clock.monotonic_s()
        self._changed.tell()

    def stop(self) -> None:
        """Stop; the readings are logged."""
        if self._lease is not None:
            self._lease.end()

    def poll(self) -> None:
        """Take a reading when due."""
        lease, now_s = self._lease, clock.monotonic_s()
        if lease is None or now_s < self._due_s or self._asked_s is not None:
            return
        self._due_s += PERIOD_S * max(int((now_s - self._due_s) / PERIOD_S) + 1, 1)
        self._dial_hz = self._desk.station.dial_hz
        if why_not := self._why_no_reading(lease):
            self._keep(None, why_not=why_not)
            return
        self._asked_s = now_s
        lease.ask(Sweep(((),), WIDTH_HZ, dwell_s=DWELL_S))

    def _why_no_reading(self, lease: Lease) -> str:
        if lease.waits:
            owner = self._jobs.owner
            return f"{owner.kind.label if owner is not None else 'another job'} has the receiver"
        if not self._live_receiver.running:
            return "the receiver is off"
        tuning = self._live_receiver.tuning
        if tuning is None:
            return self._live_receiver.trouble or "the receiver is not tuned yet"
        return "somebody transmits: the gains are at their minimum" if tuning.guard != "off" else ""

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case SweepPoint():
                offset = self._desk.route.receiver.level_offset(self._desk.route.port)
                floor = event.floor_dbfs_hz + (offset.value if offset is not None else 0.0)
                unit = "dBm/Hz" if offset is not None else "dBFS/Hz"
                self._keep(floor, unit=unit, gains_db=event.tuning.actual.gains_db)
            case SweepDone(reason=reason):
                if reason and self._asked_s is not None:
                    self._keep(None, why_not=reason)
                self._asked_s = None
            case Stopped() if self._asked_s is not None:
                self._keep(None, why_not=event.reason or "the receiver was stopped")
                self._asked_s = None
            case _:
                pass

    def stepped_back(self) -> None:
        """Drop the reading under way when another job takes the receiver."""
        if self._lease is not None and self._asked_s is not None:
            self._jobs.stop_requests(self._lease)

    def ended(self, ending: Ending) -> None:
        """Log the readings when the watch ends."""
        self._lease, self._asked_s = None, None
        self.trouble = "" if ending.how in ("done", "cancelled") else ending.reason
        values = [reading.floor for reading in self.readings if reading.floor is not None]
        if values:
            minutes = f"{self.readings[-1].at_s / 60:.0f} min"
            text = (
                f"Noise floor at {format_frequency(self.readings[0].dial_hz)} watched for {minutes}: "
                f"{count_of(len(values), 'reading')}, {_db(min(values))} to {_db(max(values))} {self._last_unit()}"
            )
            rows = tuple(
                LoggedNoiseReading(
                    reading.at_s, reading.floor, reading.unit, reading.dial_hz, dict(reading.gains_db), reading.why_not
                )
                for reading in self.readings
            )
            route = self._desk.route
            self._log.add(
                Entry(
                    station=self._desk.station.name, kind="noise", route=route.name, text=text, data=LoggedNoise(rows)
                )
            )
        self._changed.tell()

    def _last_unit(self) -> str:
        return next(reading.unit for reading in reversed(self.readings) if reading.floor is not None)

    def _keep(
        self, floor: float | None, *, unit: str = "", gains_db: tuple[tuple[str, float], ...] = (), why_not: str = ""
    ) -> None:
        at_s = (self._asked_s if self._asked_s is not None else clock.monotonic_s()) - self._begun_s
        reading = NoiseReading(at_s, floor, unit, self._dial_hz, gains_db, why_not)
        self.readings = (*self.readings, reading)[-MAX_READINGS:]
        self._changed.tell()

    def sentence(self) -> str:
        """Result in one sentence."""
        if self.trouble:
            return f"The noise watch ended: {self.trouble}."
        if not self.readings:
            return "The noise floor can be read each minute, beside whatever else is done."
        latest = self.readings[-1]
        values = [reading.floor for reading in self.readings if reading.floor is not None]
        left_out = len(self.readings) - len(values)
        missed = f"; {count_of(left_out, 'minute')} without a reading" if left_out else ""
        if latest.floor is None:
            return f"Noise: no reading just now, {latest.why_not}; {count_of(len(values), 'reading')} so far{missed}."
        if len(values) == 1:
            return f"Noise {_db(latest.floor)} {latest.unit}, the first reading{missed}."
        span = f"{_db(min(values))} to {_db(max(values))}"
        return f"Noise {_db(latest.floor)} {latest.unit}, {span} in {count_of(len(values), 'reading')}{missed}."


def _db(value: float) -> str:
    """Write to a tenth of a decibel, with a true minus sign."""
    return format_number(round(value, 1), 0.3)


def _make(of: ReceiverTopics) -> NoiseWatch:
    return NoiseWatch(of.desk, of.live_receiver, of.jobs, of.log)


DECLARATION = Declaration(
    make=_make,
    kinds=(NOISE_WATCH,),
    begin={NOISE_WATCH.name: NoiseWatch.start},
    is_under_way=lambda watch: watch.running,
    poll=NoiseWatch.poll,
    on_changed=lambda watch: watch.on_noise_changed,
    logs=(LoggedNoise,),
)
