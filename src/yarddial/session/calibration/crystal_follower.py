"""Follows a known station during listening, and from it the receiver's crystal in parts per billion."""

from collections.abc import Callable

from yarddial.engine.commands import Follow
from yarddial.engine.events import Event, Followed
from yarddial.engine.jobs.lease import Ending, Job, Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.frequency import format_number
from yarddial.yard.oscillators import crystal_of
from yarddial.yard.references import why_no_reference
from yarddial.yard.station import Reference

EVERY_S = 2.0
# Follow a station within this share of the span, but not this close to its centre.
CLEAN_SHARE, OFF_SPIKE_HZ = 0.4, 1_000.0
MIN_WITHIN_HZ = 50.0
# Random walk of a crystal within a second, one sigma, in ppb: the fastest change to follow.
WANDER_PPB = 1.5
# Report a loss after this many consecutive measurements without a signal.
MISSED_MEASUREMENTS_TO_TELL = 4
FOLLOWER = JobKind("crystal_follower", "along", "the crystal is followed", "the crystal is followed", tunes=False)


class CrystalFollower(Job):
    """Follow the station that determines the crystal best, when the person wants it."""

    def __init__(self, desk: Desk, live_receiver: LiveReceiver, jobs: Scheduler, calibration: Calibration) -> None:
        self._desk, self._live_receiver, self._jobs, self._calibration = desk, live_receiver, jobs, calibration
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._sent: tuple[float, float] | None = None
        self._missed = 0
        self._first_ppb: float | None = None
        self.is_wanted = False
        self.reference: Reference | None = None
        self.crystal_ppb: float | None = None
        # Uncertainty of the crystal, and of its measured change.
        self.sigma_ppb = self.measured_ppb = 0.0
        desk.on_dial_changed(self._aim)
        desk.on_yard_changed(self._aim)
        live_receiver.on_receiver_changed(self._aim)

    def on_crystal_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for a new, measured or lost station."""
        return self._changed.add(listener)

    def follow(self, wanted: bool) -> None:
        """Start or stop following."""
        self.is_wanted = wanted
        self._aim()
        self._changed.tell()

    def sentence(self) -> str:
        """Present result in words."""
        if not self.is_wanted:
            return ""
        if self.reference is None:
            return "No known station stands in the span." if self._live_receiver.running else "The receiver is off."
        if self._missed >= MISSED_MEASUREMENTS_TO_TELL:
            return f"{self.reference.name} is not seen now."
        if self.crystal_ppb is None:
            return f"Looking for {self.reference.name}…"
        value = format_number(self.crystal_ppb, self.sigma_ppb, signed=True)
        text = f"{value} ± {format_number(self.sigma_ppb, self.sigma_ppb / 3)} ppb by {self.reference.name}"
        moved = 0.0 if self._first_ppb is None else self.crystal_ppb - self._first_ppb
        if abs(moved) > 3 * self.measured_ppb:
            text += f"; moved {format_number(moved, max(self.measured_ppb, 0.1), signed=True)} meanwhile"
        return f"{text}."

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        if not isinstance(event, Followed) or self.reference is None:
            return
        if event.carrier is None:
            self._missed += 1
        else:
            self._missed = 0
            self._seen(event.carrier.frequency_hz, event.carrier.sigma_hz)
        self._changed.tell()

    def _aim(self) -> None:
        """Choose the station to follow at the present tuning; send only changes."""
        reference = self._best() if self.is_wanted else None
        if reference is None:
            self.reference = None
            if self._lease is not None:
                self._lease.end()
            return
        if self._lease is None:
            asked = self._jobs.request(FOLLOWER, self)
            if not isinstance(asked, Lease):
                return
            self._lease = asked
        state = self._calibration.state(None, reference.frequency_hz)
        place = (self._counted_hz(reference), max(4 * state.sigma_hz, MIN_WITHIN_HZ))
        if (
            self._sent is not None
            and abs(place[0] - self._sent[0]) < 0.2 * self._sent[1]
            and self.reference == reference
        ):
            return
        if self.reference != reference:
            self.crystal_ppb = self._first_ppb = None
        self.reference, self._sent, self._missed = reference, place, 0
        self._lease.ask(Follow(*place, EVERY_S))

    def ended(self, ending: Ending) -> None:
        """Start again as soon as a station can be followed."""
        self._lease = self._sent = None
        self._changed.tell()

    def _best(self) -> Reference | None:
        tuning, route = self._live_receiver.tuning, self._desk.route
        if tuning is None or route.missing or not self._live_receiver.running:
            return None
        able = []
        for reference in self._desk.station.references:
            if reference.mode not in ("am", "cw") or why_no_reference(reference.kind, reference.frequency_hz):
                continue
            if route.why_not(reference.frequency_hz):
                continue
            away_hz = abs(route.counted_hz(reference.frequency_hz) - tuning.centre_hz)
            if OFF_SPIKE_HZ < away_hz < CLEAN_SHARE * tuning.rate_hz:
                able.append(reference)
        return min(able, key=lambda r: r.sigma_hz, default=None)

    def _counted_hz(self, reference: Reference) -> float:
        """Frequency at which the receiver should show it, by present knowledge."""
        route = self._desk.route
        state = self._calibration.state(None, reference.frequency_hz)
        return route.counted_hz(reference.frequency_hz + state.error_hz)

    def _seen(self, away_hz: float, sigma_hz: float) -> None:
        """Update the crystal from the residual of the expected error."""
        assert self.reference is not None
        assert self._sent is not None
        route, name = self._desk.route, crystal_of(self._desk.route.receiver.name)
        state = self._calibration.state(None, self.reference.frequency_hz)
        # Dial hertz: the unexpected part, and the change per ppm of the crystal.
        slope = dict(state.slopes)[name]
        expected_hz = route.counted_hz(self.reference.frequency_hz + state.error_hz)
        more_hz = state.trace.sense * (self._sent[0] + away_hz - expected_hz)
        ppb = 1e3 * (self._calibration.oscillators.value(name) + more_hz / slope)
        measured = abs(1e3 * sigma_hz / slope)
        others_hz = [hertz for part, hertz in state.budget_hz if part != name]
        if self.crystal_ppb is None:
            self.crystal_ppb, self.measured_ppb, self._first_ppb = ppb, measured, ppb
        else:
            before = self.measured_ppb**2 + WANDER_PPB**2 * EVERY_S
            gain = before / (before + measured**2)
            self.crystal_ppb += gain * (ppb - self.crystal_ppb)
            self.measured_ppb = float(((1 - gain) * before) ** 0.5)
        # The station's own error and the other oscillators' are constant offsets.
        lasting_hz = (self.reference.sigma_hz**2 + sum(hertz**2 for hertz in others_hz)) ** 0.5
        self.sigma_ppb = float((self.measured_ppb**2 + (1e3 * lasting_hz / slope) ** 2) ** 0.5)


def _make(of: CalibrationTopics) -> CrystalFollower:
    return CrystalFollower(of.desk, of.live_receiver, of.jobs, of.calibration)


DECLARATION = Declaration(
    make=_make,
    kinds=(FOLLOWER,),
    begin={FOLLOWER.name: lambda follower: follower.follow(True)},
)
