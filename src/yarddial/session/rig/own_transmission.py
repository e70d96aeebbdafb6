"""Measurement of the person's own transmission into a dummy load: its frequency and bandwidth."""

from typing import Protocol

import msgspec

from yarddial.drivers.rig.protocol import mode_key_of
from yarddial.dsp.occupied_bandwidth import OccupiedBandwidth, occupied_bandwidth
from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, TuneRefused
from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedPlace
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.receiver.picture import COLUMN_S
from yarddial.session.rig.held_transmission import LISTENS_S, SETTLES_S, HeldTransmission
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.frequency import format_frequency, format_hertz
from yarddial.yard.parts import Transceiver, Value
from yarddial.yard.resolved_route import ResolvedRoute

HALF_SPANS_HZ = {"cw": 1_000.0, "data": 2_000.0, "fsk": 2_000.0, "ssb": 6_000.0, "nfm": 15_000.0, "wfm": 120_000.0}
USUAL_HALF_HZ = 10_000.0
# Modes with a separate carrier, and the bandwidth that each needs by ITU-R SM.1138 and the Radio Regulations, appendix
# 1.
CARRIER_MODES = ("am", "nfm")
NECESSARY_HZ = {"ssb": 3_000.0, "am": 6_000.0, "cw": 200.0, "nfm": 16_000.0, "fsk": 400.0, "data": 500.0}
# Ageing of a temperature-compensated reference, ppm a year; tolerance of a voice's frequency.
AGES_PPM, VOICE_HZ = 1.0, 10.0
OWN_TRANSMISSION = JobKind(
    "own_transmission",
    "work",
    "one's own transmission",
    "one's own transmission is being heard",
    hears_transmissions=True,
)


class TransmissionResult(msgspec.Struct, frozen=True):
    """Result. ppm, sigma_ppm : its error relative to its display, positive for high; None without a carrier.

    width : of the transmission; None where nothing stood out. by_if : heard over its own IF, which hides its error.
    """

    rig: str
    route: str
    place_hz: float
    mode: str
    error_hz: float | None
    sigma_hz: float
    width: OccupiedBandwidth | None
    necessary_hz: float
    by_if: bool = False

    @property
    def ppm(self) -> float | None:
        """Error in ppm, positive where its frequencies are high."""
        return None if self.error_hz is None else self.error_hz / self.place_hz * 1e6

    @property
    def sigma_ppm(self) -> float:
        """One sigma of the error, ppm."""
        return self.sigma_hz / self.place_hz * 1e6

    @property
    def again_days(self) -> float:
        """Days until ageing alone shifts a voice audibly at this frequency."""
        return VOICE_HZ / (AGES_PPM * 1e-6 * self.place_hz) * 365.0


class OwnTransmission(HeldTransmission):
    """Frequency and bandwidth of one's own transmission."""

    def __init__(
        self,
        desk: Desk,
        receiver: LiveReceiver,
        jobs: Scheduler,
        calibration: Calibration,
        log: LogKeeper,
        rig: RigControl,
    ) -> None:
        super().__init__(receiver, jobs, rig)
        self._desk, self._calibration, self._log = desk, calibration, log
        self._route: ResolvedRoute | None = None
        self._place_hz = 0.0
        self._measured: tuple[float, float] | None = None
        self.result: TransmissionResult | None = None

    def why_not(self, *, dummy_load: bool, lowest_power: bool) -> str:
        """Reason why it cannot begin; empty when it can."""
        rig, route = self._rig, self._desk.route
        if rig.status != "linked" or rig.shown is None:
            return "no transceiver is linked"
        if not dummy_load or not lowest_power:
            return "first the dummy load and the lowest power: only you can see to that"
        if why := rig.safety.why_closed(route):
            return why
        if not rig.safety.is_acknowledged:
            return "first look at what comes to this receiver at worst"
        if rig.safety.transmitting is None:
            return f"{rig.name} does not tell whether it transmits: nothing is keyed that cannot be seen"
        if rig.safety.transmitting:
            return f"{rig.name} transmits already"
        if why := route.why_not(rig.transmit_place_hz() or rig.place_hz() or 0.0):
            return f"this route does not reach its place: {why}"
        return self._jobs.why_not(OWN_TRANSMISSION)

    def begin(self, *, dummy_load: bool, lowest_power: bool) -> str:
        """Tune the receiver to the transmit frequency. Return why not, or an empty text."""
        if why := self.why_not(dummy_load=dummy_load, lowest_power=lowest_power):
            return why
        if why := self._rig.ready_key():
            return why
        lease = self._jobs.request(OWN_TRANSMISSION, self)
        if not isinstance(lease, Lease):
            self._rig.key.leave()
            return lease.reason
        self._place_hz = self._rig.transmit_place_hz() or self._rig.place_hz() or 0.0
        self._lease, self._route = lease, self._desk.route.at(self._place_hz)
        self.phase, self.trouble, self.result, self._measured = "ready", "", None, None
        if not self._receiver.wanted:
            self._receiver.start(self._route)
        self._receiver.tuner.tune(self._route, self._place_hz, self._half_hz(), lease)
        self._receiver.picture.show(self._half_hz())
        self._changed.tell()
        return ""

    def why_stale(self) -> str:
        """It belongs to one route."""
        route = self._route
        return "" if route is None or self._desk.route.name == route.name else "another route was chosen meanwhile"

    def _listen(self, lease: Lease) -> None:
        if self._has_carrier():
            lease.ask(Measure(LISTENS_S + SETTLES_S, 3_000.0))

    def _key(self) -> str:
        return mode_key_of(self._rig.shown.mode if self._rig.shown is not None else "") or ""

    def _half_hz(self) -> float:
        """Half width of the examined channel, by mode."""
        return HALF_SPANS_HZ.get(self._key(), USUAL_HALF_HZ)

    def _by_if(self) -> bool:
        rig = self._route.transceiver if self._route is not None else None
        return rig is not None and rig.name == self._rig.name and rig.tap == "if"

    def _has_carrier(self) -> bool:
        """True for a carrier whose frequency depends on the transceiver's reference."""
        return self._key() in CARRIER_MODES and not self._by_if()

    def _is_heard(self) -> bool:
        return not self._has_carrier() or self._measured is not None

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        match event:
            case Measured():
                self._measured = (event.counted_hz, event.carrier.sigma_hz)
            case NotMeasured(sentence=sentence) if self.phase == "looking":
                self.let_go()
                self.trouble = f"nothing to measure was heard: {sentence}"
            case TuneRefused(sentence=sentence) if self._lease is not None:
                self._lease.end("failed", sentence)
            case _:
                pass

    def _finish(self) -> None:
        lease, route, rig = self._lease, self._route, self._rig
        if lease is None or route is None or rig.shown is None:
            return
        columns = self._receiver.picture.recent_columns(int(LISTENS_S / COLUMN_S))
        row_hz = 2 * self._half_hz() / columns.shape[1] if columns.size else 1.0
        error_hz, sigma_hz = None, 0.0
        if self._measured is not None:
            # Reading of the dial, less the error of the receiver's own oscillators.
            state = self._calibration.state(route, self._place_hz)
            shown_hz = route.dial_of(self._measured[0], self._place_hz)
            error_hz = shown_hz - state.error_hz - self._place_hz
            sigma_hz = (state.sigma_hz**2 + self._measured[1] ** 2) ** 0.5
        width = occupied_bandwidth(columns, row_hz) if columns.size else None
        necessary_hz = NECESSARY_HZ.get(self._key(), 0.0)
        self.result = TransmissionResult(
            rig.name, route.name, self._place_hz, rig.shown.mode, error_hz, sigma_hz, width, necessary_hz, self._by_if()
        )
        self._release_key()
        self._note(self.result)
        lease.end()

    def _note(self, result: TransmissionResult) -> None:
        error_words = (
            "" if result.error_hz is None else f", {format_hertz(result.error_hz, result.sigma_hz)} off its display"
        )
        wide = "" if result.width is None else f", {result.width.width_hz:.0f} Hz hold 99 % of it"
        text = (
            f"{result.rig}'s own transmission at {format_frequency(result.place_hz)}, {result.mode}{error_words}{wide}"
        )
        entry = Entry(
            station=self._desk.station.name,
            kind="note",
            route=result.route,
            text=text,
            data=LoggedPlace(result.place_hz),
        )
        self._log.add(entry)

    @property
    def is_worth_entering(self) -> bool:
        """True when the result improves on present knowledge, or contradicts it."""
        result, part = self.result, self._rig.part
        if result is None or result.ppm is None or part is None:
            return False
        off_ppm = abs(result.ppm - part.rig_ppm.value)
        return result.sigma_ppm < part.rig_ppm.sigma or off_ppm > 3 * result.sigma_ppm

    def enter(self) -> None:
        """Store the result as the transceiver's measured error; one undo step."""
        result, part = self.result, self._rig.part
        if result is None or result.ppm is None or not isinstance(part, Transceiver):
            return
        value = Value(result.ppm, result.sigma_ppm, "measured", clock.today(), "its own transmission")
        edited = msgspec.structs.replace(part, rig_ppm=value)
        self._desk.edit(f"{part.name}'s reference", self._desk.station.with_part(edited), "correction")


class OwnTransmissionTopics(CalibrationTopics, Protocol):
    """What this activity needs of the session."""

    @property
    def rig(self) -> RigControl:
        """The linked transceiver."""
        ...


def _make(of: OwnTransmissionTopics) -> OwnTransmission:
    return OwnTransmission(of.desk, of.live_receiver, of.jobs, of.calibration, of.log, of.rig)


DECLARATION = Declaration(
    make=_make, kinds=(OWN_TRANSMISSION,), is_under_way=lambda own: bool(own.phase), poll=OwnTransmission.poll
)
