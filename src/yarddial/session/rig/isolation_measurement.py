"""Guided measurement of the isolation between a transmitter and the receiver, behind an attenuator.

Steps: look at a strong signal without the attenuator, while no transceiver is linked; put it in and look again, which
shows it; link the transceiver; transmit the lowest power into a dummy load; transmit it into the antenna. Nothing is
counted for the isolation before it is measured, and the attenuator is recorded for before every transmission.
"""

from math import log10
from typing import Literal, Protocol

import msgspec
import numpy as np

from yarddial.analysis.audit.isolation import Isolation, Protection, air_path, isolation_of, judge_fall
from yarddial.analysis.audit.power_paths import power_paths
from yarddial.analysis.levels.level_line import socket_offset_db
from yarddial.drivers.rig.protocol import mode_key_of
from yarddial.engine.commands import Sweep
from yarddial.engine.events import Event, SweepDone, SweepPoint, TuneRefused
from yarddial.engine.jobs.lease import Ending, Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.engine.tuning import Tuning
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPlace
from yarddial.session.activity import Declaration
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.rig.held_transmission import LISTENS_S, HeldTransmission
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.frequency import format_frequency
from yarddial.yard.parts import Antenna, Transceiver, TwoPort, Value
from yarddial.yard.parts.electrical import rating_dbm, worst_db
from yarddial.yard.parts.receiver import STEP_SIGMA_DB
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Route, Station

ISOLATION = JobKind(
    "isolation", "work", "isolation measurement", "the isolation is being measured", hears_transmissions=True
)
# Duration of a look at the signal that shows the attenuator, and half width around the dial.
RECORD_S, HALF_WIDTH_HZ = 0.5, 3_000.0
# The line may move by this many bins from one look to the next.
LINE_BINS = 3
# The signal may differ by this much from one look to the next before the attenuator counts as gone.
SAME_DB = 3.0
# Uncertainty of a level in dBm that only the expected noise gives, dB.
BY_NOISE_SIGMA_DB = 6.0
# Modes that send a carrier without a voice, and its share of the stated power at least, dB (AM: a quarter).
CARRIER_DB = {"nfm": 0.0, "am": -6.0}
CHANNEL_HZ = 6_000.0
IsolationStep = Literal["state", "without", "attenuator", "link", "dummy load", "antenna", "done"]
On = Literal["dummy load", "antenna"]


class SignalRecord(msgspec.Struct, frozen=True):
    """The strongest signal of the span. line_hz : from the centre. over_db : above the noise in its bins.

    offset_db : makes dBm at the socket of dBFS, by the noise that should be there; None where that is hidden.
    """

    level_dbfs: float
    over_db: float
    line_hz: float
    tuning: Tuning
    offset_db: float | None


class IsolationMeasurement(HeldTransmission):
    """One measurement at a time, on the active route. Editing the yard or changing the route begins it anew."""

    def __init__(self, desk: Desk, receiver: LiveReceiver, jobs: Scheduler, log: LogKeeper, rig: RigControl) -> None:
        super().__init__(receiver, jobs, rig)
        self._desk, self._log = desk, log
        self._parts: tuple[object, ...] = ()
        self._route: ResolvedRoute | None = None
        self._records_for: Literal["", "without", "with", "again"] = ""
        self._on: On = "dummy load"
        self._heard: SweepPoint | None = None
        self._has_come = False
        self.protection: Protection | None = None
        self.without: SignalRecord | None = None
        self.attenuated: SignalRecord | None = None
        self.seen_db = 0.0
        self.through: Isolation | None = None
        self.total: Isolation | None = None
        rig.safety.protected_by(self.is_protected)
        desk.on_yard_changed(self._yard_changed)

    @property
    def step(self) -> IsolationStep:
        """Next step of the procedure."""
        if self.protection is None or self._why_limit_unknown():
            return "state"
        if self.without is None:
            return "without"
        if self.attenuated is None:
            return "attenuator"
        if self._rig.status != "linked":
            return "link"
        if self.through is None:
            return "dummy load"
        return "antenna" if self.total is None else "done"

    def limit_dbm(self) -> float | None:
        """Largest safe level at the active route's receiver; None where nobody stated it."""
        route = self._desk.route
        limit, _ = (None, False) if route.missing else rating_dbm(route.receiver, route.port)
        return None if limit is None else limit.value

    def _why_limit_unknown(self) -> str:
        return "" if self.limit_dbm() is not None else "state first the largest level that the receiver's socket takes"

    def state(self, power_w: float, attenuator_db: float, attenuator_w: float) -> str:
        """State the lowest power and the attenuator, and begin anew. Return why they do not do, or an empty text."""
        self.forget()
        protection = Protection(power_w, attenuator_db, attenuator_w, self.limit_dbm() or 0.0)
        if why := self._why_limit_unknown() or protection.why_unsafe():
            return self._refused(why)
        self.protection = protection
        self._route, self._parts = self._desk.route, self._yard()
        self._changed.tell()
        return ""

    def _refused(self, why: str) -> str:
        self.trouble = why
        self._changed.tell()
        return why

    def forget(self) -> None:
        """Drop all results; the receiver is protected no more."""
        self.cancel()
        self.protection, self._route, self.trouble = None, None, ""
        self.without = self.attenuated = None
        self.through = self.total = None
        self.seen_db = 0.0
        self._rig.safety.enforce()
        self._changed.tell()

    def is_protected(self, route: ResolvedRoute) -> bool:
        """Return True for the route on which the attenuator was seen, while nothing was changed since."""
        mine = self._route
        if mine is None or self.protection is None or self.attenuated is None or self._parts != self._yard():
            return False
        return route.name == mine.name and not self.protection.why_unsafe(self.seen_db)

    def _yard(self) -> tuple[object, ...]:
        """What the measurement rests on: the parts and the routes, whatever is entered or calibrated in them."""
        station, route = self._desk.station, self._desk.route
        return (route.name, station.route_named(route.name).parts if station.routes else (), self.limit_dbm())

    def _yard_changed(self) -> None:
        if self.protection is not None and self._parts != self._yard():
            self.forget()
            self.trouble = "the route was changed: begin anew"
            self._changed.tell()

    # Looks that show the attenuator

    def why_not_record(self) -> str:
        """Reason why the signal cannot be recorded at now; empty when it can."""
        if self.protection is None:
            return "state first the lowest power and the attenuator"
        if self.without is None and self._rig.status != "off":
            return f"let {self._rig.name} go first: without the attenuator nothing must be able to transmit"
        if self._route is None or self._desk.route.name != self._route.name:
            return "another route was chosen: begin anew"
        return self._desk.route.why_not(self._desk.station.dial_hz) or self._jobs.why_not(ISOLATION)

    def record(self) -> None:
        """Record the strongest signal: without the attenuator first, then with it."""
        if why := self.why_not_record() or self._begin_record("without" if self.without is None else "with"):
            self._refused(why)

    def _begin_record(self, purpose: Literal["without", "with", "again"]) -> str:
        lease = self._jobs.request(ISOLATION, self)
        if not isinstance(lease, Lease):
            return lease.reason
        self._lease, self._records_for, self.trouble = lease, purpose, ""
        # The same signal as in the first look, wherever the dial was turned since.
        first = self.without
        route = self._desk.route if purpose == "without" or self._route is None else self._route
        if purpose == "without":
            self._route = route
        if not self._receiver.wanted:
            self._receiver.start(route)
        if first is None or purpose == "without":
            self._receiver.tuner.tune(route, route.dial_hz, HALF_WIDTH_HZ, lease)
        else:
            self._receiver.tuner.tune_with(route, first.tuning.requested, HALF_WIDTH_HZ, lease)
        self._receiver.tuner.when_tuned(lease, lambda _: self._ask_record(lease))
        self._changed.tell()
        return ""

    def _ask_record(self, lease: Lease) -> None:
        lease.ask(Sweep(((),), 2 * HALF_WIDTH_HZ, dwell_s=RECORD_S, with_span=True))

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case SweepPoint(clipped_share=clipped_share) if self._records_for:
                if clipped_share > 0:
                    self.trouble = "the receiver is overloaded here: lower its gain in Levels"
                else:
                    self._take_record(self._record_of(event))
            case SweepPoint() if self.phase == "looking":
                self._heard = event
            case SweepDone(reason=reason) if self._lease is not None and self._records_for:
                again, self._records_for = self._records_for == "again" and not self.trouble and not reason, ""
                if reason:
                    self.trouble = reason
                if again:
                    self._get_ready(self._lease)
                else:
                    self._lease.end()
            case TuneRefused(sentence=sentence) if self._lease is not None:
                self._lease.end("failed", sentence)
            case _:
                pass

    def _record_of(self, point: SweepPoint) -> SignalRecord:
        bin_hz = point.tuning.rate_hz / point.span.size
        first = self.without
        line_hz = point.strongest_hz if first is None else first.line_hz
        at = round(line_hz / bin_hz) + point.span.size // 2
        near = point.span[max(at - LINE_BINS - 1, 0) : at + LINE_BINS + 2]
        level_dbfs = 10 * log10(max(float(np.sum(near)) * bin_hz, 1e-30))
        noise_dbfs = point.floor_dbfs_hz + 10 * log10(bin_hz * near.size)
        offset_db = None
        if first is None and self._route is not None:
            offset_db = socket_offset_db(self._route, self._desk.outside, point.floor_dbfs_hz)
        return SignalRecord(level_dbfs, level_dbfs - noise_dbfs, line_hz, point.tuning, offset_db)

    def _take_record(self, record: SignalRecord) -> None:
        protection, first = self.protection, self.without
        if protection is None:
            return
        if first is None:
            strong_enough = judge_fall(record.over_db, protection.attenuator_db, protection.attenuator_db)
            self.trouble = strong_enough.why_not or self._why_no_level(record)
            if not self.trouble:
                self.without = record
        elif (record.tuning.actual.gains_db, record.tuning.centre_hz) != (
            first.tuning.actual.gains_db,
            first.tuning.centre_hz,
        ):
            self.trouble = "the receiver was not set as in the first record: begin anew"
        elif self._records_for == "again" and self.attenuated is not None:
            change_db = record.level_dbfs - self.attenuated.level_dbfs
            if abs(change_db) > SAME_DB:
                self.trouble = (
                    f"the signal that shows the attenuator changed by {change_db:+.0f} dB: is it still in, and "
                    "every plug in its place? SignalRecord again"
                ).replace("-", "−")
                self.attenuated, self.seen_db = None, 0.0
        else:
            fall = judge_fall(first.over_db, first.level_dbfs - record.level_dbfs, protection.attenuator_db)
            why = fall.why_not or protection.why_unsafe(fall.seen_db)
            self.trouble = why
            if not why:
                self.attenuated, self.seen_db = record, fall.seen_db

    # Transmissions

    def why_not_key(self, on: On, *, is_on: bool, lowest_power: bool) -> str:
        """Reason why it must not be keyed now; empty when it may. is_on : the person says that it is on."""
        rig = self._rig
        if self.attenuated is None or self.protection is None:
            return "first the attenuator must have been seen"
        if rig.status != "linked" or rig.shown is None:
            return "link the transceiver now"
        if not is_on or not lowest_power:
            return f"first the {on} and the lowest power: only you can see to that"
        if rig.safety.transmitting is None:
            return f"{rig.name} does not tell whether it transmits: nothing is keyed that cannot be seen"
        if rig.safety.transmitting:
            return f"{rig.name} transmits already"
        if (mode_key_of(rig.shown.mode) or "") not in CARRIER_DB:
            return f"set {rig.name} to FM or AM: {rig.shown.mode} sends no carrier while nobody speaks"
        if why := rig.safety.why_closed(self._desk.route):
            return why
        place_hz = self._place_hz()
        if why := self._desk.route.why_not(place_hz):
            return f"this route does not reach its place: {why}"
        return self._jobs.why_not(ISOLATION)

    def begin(self, on: On, *, is_on: bool, lowest_power: bool) -> str:
        """Check the attenuator once more, then tune to the transmit frequency. Return why not, or an empty text."""
        if why := self.why_not_key(on, is_on=is_on, lowest_power=lowest_power) or self._rig.ready_key():
            return self._refused(why)
        self._on, self._heard = on, None
        if why := self._begin_record("again"):
            self._rig.key.leave()
            return self._refused(why)
        return ""

    def _get_ready(self, lease: Lease) -> None:
        route = self._desk.route
        self.phase = "ready"
        self._receiver.tuner.tune(route, self._place_hz(), HALF_WIDTH_HZ, lease)
        self._changed.tell()

    def _place_hz(self) -> float:
        return self._rig.transmit_place_hz() or self._rig.place_hz() or 0.0

    def press(self) -> None:
        """The person presses and holds; nothing is keyed while the attenuator has not been seen."""
        if self.is_protected(self._desk.route):
            super().press()

    def _listen(self, lease: Lease) -> None:
        self._heard = None
        lease.ask(Sweep(((),), CHANNEL_HZ, dwell_s=LISTENS_S))

    def _is_heard(self) -> bool:
        return self._heard is not None

    def _finish(self) -> None:
        lease, point, protection = self._lease, self._heard, self.protection
        if lease is None or point is None or protection is None:
            return
        self._release_key()
        if point.clipped_share > 0:
            self.trouble = "the receiver was overloaded even behind the attenuator: use more of it"
            lease.end()
            return
        offset_db, sigma_db = self._to_dbm(point.tuning)
        noise_dbfs = point.floor_dbfs_hz + 10 * log10(point.width_hz)
        over_db = point.channel_dbfs - noise_dbfs
        shown = self._rig.shown
        carrier_db = CARRIER_DB.get(mode_key_of(shown.mode if shown is not None else "") or "", 0.0)
        isolation = isolation_of(protection, point.channel_dbfs + offset_db - carrier_db, sigma_db, over_db)
        if self._on == "dummy load":
            self.through, self.total = isolation, None
        else:
            self.total = isolation
        self._note(isolation)
        lease.end()

    def _to_dbm(self, tuning: Tuning) -> tuple[float, float]:
        """Offset from dBFS to dBm at the socket for the acknowledged gains, with its sigma."""
        route, gains, first = self._desk.route, tuning.actual.gains_db, self.without
        calibration = next((c for c in route.receiver.calibrations if c.port == route.port), None)
        if calibration is not None:
            offset = calibration.offset_at(gains)
            return offset.value, offset.sigma
        assert first is not None
        assert first.offset_db is not None
        then, now = dict(first.tuning.actual.gains_db), dict(gains)
        moved = [then[name] - gain_db for name, gain_db in now.items() if name in then]
        steps = sum(1 for move in moved if move)
        return first.offset_db + sum(moved), (BY_NOISE_SIGMA_DB**2 + steps * STEP_SIGMA_DB**2) ** 0.5

    def _why_no_level(self, record: SignalRecord) -> str:
        route = self._desk.route
        is_calibrated = any(calibration.port == route.port for calibration in route.receiver.calibrations)
        if is_calibrated or record.offset_db is not None:
            return ""
        return "levels here are not known in dBm: raise the gain, or state a level in Listen, Calibrate"

    def why_stale(self) -> str:
        """It belongs to one route."""
        route = self._route
        return "" if route is None or self._desk.route.name == route.name else "another route was chosen meanwhile"

    def ended(self, ending: Ending) -> None:
        """Release the key, whatever ended the look or the transmission."""
        self._records_for = ""
        super().ended(ending)

    # Results

    @property
    def air(self) -> Isolation | None:
        """What came through the air to the receiver's antenna; None where the outputs bring all of it."""
        return None if self.through is None or self.total is None else air_path(self.through, self.total)

    def words(self) -> tuple[str, ...]:
        """Results as sentences: through the outputs, through the air, and what more power would do."""
        limit_dbm = self.limit_dbm()
        rows = []
        if self.through is not None:
            rows.append(f"With the dummy load: {_isolation_words(self.through)}.")
        if self.total is not None:
            air = self.air
            through_air = f"through the air {_isolation_words(air)}" if air is not None else "the air adds nothing"
            rows.append(f"With the antenna: {_isolation_words(self.total)}; {through_air}.")
            if limit_dbm is not None:
                safe_w = self.total.safe_power_w(limit_dbm)
                rows.append(
                    f"At worst {safe_w:.3g} W leave 6 dB of margin at a socket that takes {limit_dbm:+.0f} dBm."
                )
                part = self._rig.part
                if part is not None and part.transmit_w:
                    level_dbm = self.total.level_dbm(part.transmit_w)
                    verdict = "under" if level_dbm < limit_dbm else "OVER"
                    rows.append(
                        f"{part.transmit_w:g} W would bring {level_dbm:+.0f} dBm at worst: {verdict} its limit."
                    )
        return tuple(row.replace("-", "−") for row in rows)

    def enter(self) -> str:
        """Store the results in the parts concerned, as one undoable edit. Return what was not stored, or "" ."""
        part, through, total = self._rig.part, self.through, self.total
        if part is None or through is None or total is None or self._route is None:
            return "measure both first, with the dummy load and with the antenna"
        station = self._desk.station
        route = station.route_named(self._route.name)
        day = clock.today()
        edited = _with_isolation(station, part, route, _value(through, day), _value(self.air or total, day))
        if edited is station:
            return "no part of this route states an isolation"
        self._desk.edit(f"{part.name}'s isolation, measured", edited)
        return ""

    def _note(self, isolation: Isolation) -> None:
        text = (
            f"Isolation of {self._rig.name} on {self._desk.route.name}, {self._on}, at "
            f"{format_frequency(self._place_hz())}: {_isolation_words(isolation)}"
        )
        self._log.add(
            Entry(
                station=self._desk.station.name,
                kind="note",
                route=self._desk.route.name,
                text=text,
                data=LoggedPlace(self._place_hz()),
            )
        )


def _value(isolation: Isolation, day: str) -> Value:
    note = "at least; nothing was heard" if isolation.is_bound else "behind an attenuator, lowest power"
    return Value(round(isolation.value_db, 1), round(isolation.sigma_db, 1), "measured", day, note)


def _isolation_words(isolation: Isolation) -> str:
    bound = "at least " if isolation.is_bound else ""
    return f"{bound}{isolation.value_db:.0f} ±{isolation.sigma_db:.0f} dB"


def _with_isolation(station: Station, rig: Transceiver, route: Route, through: Value, air: Value) -> Station:
    """The station with the results where the audit reads them: output or shared part, and the receiving antenna."""
    for path in power_paths(station, rig):
        if path.route != route.name:
            continue
        if path.through == "its output":
            now = station.part(rig.name)
            if isinstance(now, Transceiver):
                value = _lower(now.isolation_db, through)
                station = station.with_part(msgspec.structs.replace(now, isolation_db=value))
        elif path.coupling is not None or path.through.startswith(("through the air", "by ")):
            antenna = station.part(route.parts[0])
            if isinstance(antenna, Antenna):
                value = _lower(antenna.coupling_db, air)
                station = station.with_part(msgspec.structs.replace(antenna, coupling_db=value))
        else:
            shared = station.part(path.through)
            if isinstance(shared, TwoPort):
                value = _lower(shared.isolation_db, through)
                station = station.with_part(msgspec.structs.replace(shared, isolation_db=value))
    return station


def _lower(former: Value | None, measured: Value) -> Value:
    """Of two measurements, on two bands or days, the one that isolates less; a stated value is replaced."""
    if former is None or former.provenance != "measured" or worst_db(measured) <= worst_db(former):
        return (
            measured
            if former is None
            else former.measured(measured.value, measured.sigma, measured.date, measured.note)
        )
    return former


class IsolationTopics(ReceiverTopics, Protocol):
    """What this activity needs of the session."""

    @property
    def rig(self) -> RigControl:
        """The linked transceiver."""
        ...


def _make(of: IsolationTopics) -> IsolationMeasurement:
    return IsolationMeasurement(of.desk, of.live_receiver, of.jobs, of.log, of.rig)


def _begin_usual(measurement: IsolationMeasurement) -> None:
    if measurement.protection is None:
        measurement.state(5.0, 40.0, 10.0)
    measurement.record()


DECLARATION = Declaration(
    make=_make,
    kinds=(ISOLATION,),
    begin={"isolation": _begin_usual},
    is_under_way=lambda own: bool(own.phase),
    poll=IsolationMeasurement.poll,
)
