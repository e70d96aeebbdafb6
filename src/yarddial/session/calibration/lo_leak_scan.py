"""Search for a converter's oscillator leakage with the running receiver, around each stated value in turn."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import msgspec

from yarddial.engine.commands import Measure
from yarddial.engine.events import Event, Measured, NotMeasured, TuneRefused
from yarddial.engine.jobs.lease import Ending, Job, Lease, Refusal
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.jobs.table import JobKind
from yarddial.session.activity import Declaration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.oscillators import Oscillators, crystal_of
from yarddial.yard.parts import Antenna
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

if TYPE_CHECKING:
    # Imported when first used, after the first paint.
    from yarddial.analysis.correction.lo_leak import Glimpse, LeakAnswer

SCAN_STEP_S = 1.5
TOLERANCE_PPM = 30.0
LO_LEAK_SCAN = JobKind(
    "lo_leak_scan", "work", "the look for an oscillator", "a converter's oscillator is being looked for"
)


class LoLeakScan(Job):
    """One scan at a time: tune to each stated value at the socket, find the strongest carrier, weigh them all."""

    def __init__(
        self,
        desk: Desk,
        live_receiver: LiveReceiver,
        jobs: Scheduler,
        known: Callable[[], Oscillators],
    ) -> None:
        self._desk, self._live_receiver, self._jobs, self._known = desk, live_receiver, jobs, known
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._left: list[float] = []
        self._glimpses: list[Glimpse] = []
        self._line: ResolvedRoute | None = None
        self._place: tuple[float, ResolvedRoute] = (0.0, desk.route)
        self._count = 0
        self._stated: tuple[float, ...] = ()
        # Stated values whose line a known station may explain: they are not counted.
        self.left_out: list[float] = []
        self._antenna_off = False
        # A station that must be silent with the antenna off, and its frequency for each stated value.
        self._witness = ""
        self._checks: list[float] = []
        self.answer: LeakAnswer | None = None
        self.trouble = ""

    @property
    def running(self) -> bool:
        """True while the scan runs."""
        return self._lease is not None

    @property
    def fraction(self) -> float:
        """Share of the scan that is done."""
        return (self._count - len(self._left)) / max(self._count, 1)

    def on_scan_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for progress, end and failure."""
        return self._changed.add(listener)

    def start(self, stated_hz: Sequence[float], *, antenna_off: bool = False) -> None:
        """Search around each stated value that the receiver of the active route can tune to.

        antenna_off : the person has taken it off: that is checked first, by a known station that must be silent then.

        Raises
        ------
        BadObservations
            The receiver can tune to none of them, the route has no receiver, or another job has it.
        """
        if why_not := self._jobs.why_not(LO_LEAK_SCAN):
            raise BadObservations(f"not now: {why_not}")
        route = self._desk.route
        able = [hertz for hertz in stated_hz if not route.missing and not route.receiver.why_not(hertz)]
        if not able:
            raise BadObservations(
                f"{route.receiver.name} can tune to none of the stated oscillators: use a known station instead"
            )
        self.answer, self.trouble, self._glimpses = None, "", []
        self._antenna_off, self._stated, self.left_out = antenna_off, tuple(stated_hz), []
        self._witness, self._checks = self._must_be_silent(route) if antenna_off else ("", [])
        self._left, self._count = list(able), len(able)
        # Frequencies at the socket itself, after all converters.
        self._line = ResolvedRoute.of("leak", (Antenna("socket", 0.0, 1e12), route.receiver), able[0], route.port)
        self._place = (self._desk.station.dial_hz, route)
        lease = self._jobs.request(LO_LEAK_SCAN, self)
        if isinstance(lease, Refusal):
            raise BadObservations(f"not now: {lease.reason}")
        self._lease = lease
        if not self._live_receiver.wanted:
            self._live_receiver.start(self._line)
        self._check() if self._checks else self._next()

    def _must_be_silent(self, route: ResolvedRoute) -> tuple[str, list[float]]:
        """Choose a station of the route, with its frequency at the socket for each stated oscillator.

        Which of them the box has is not known, so it must be silent at each. A place near a harmonic of the receiver's
        own crystal tells nothing: that stays without an antenna.
        """
        receiver = route.receiver
        able = [
            r for r in self._desk.station.references if not route.why_not(r.frequency_hz) and r.mode in ("am", "cw")
        ]
        for reference in sorted(able, key=lambda r: r.sigma_hz):
            places = [place for place in self._places(reference, route) if not receiver.why_not(place)]
            harmonics = [round(place / receiver.crystal_hz) * receiver.crystal_hz for place in places]
            far = [abs(p - h) > 2 * self._within_hz(p) for p, h in zip(places, harmonics, strict=True)]
            if places and all(far):
                return reference.name, places
        return "", []

    def _places(self, reference: Reference, route: ResolvedRoute) -> list[float]:
        if len(route.converters) != 1:
            return []
        return [Stage(route.converters[0].kind, hertz).convert(reference.frequency_hz) for hertz in self._stated]

    def _check(self) -> None:
        """Check that the antenna is off: its stations must be silent."""
        self._tune_to(self._checks[0])

    def cancel(self) -> None:
        """Stop the scan."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def take(self, event: Event) -> None:
        """Take an answer from the engine."""
        if self._checks and isinstance(event, Measured | NotMeasured):
            self._checked(event)
            return
        match event:
            case Measured():
                # The receiver's count, without the correction entered.
                self._seen(event.counted_hz, event.carrier.sigma_hz, event.carrier.cn0_dbhz)
            case NotMeasured(is_silent=True):
                self._seen(None, 0.0, 0.0)
            case NotMeasured() if self._lease is not None:
                # A measurement cut short says nothing about a signal.
                self._lease.end("failed", event.sentence)
            case TuneRefused() if self._lease is not None:
                self._lease.end("failed", event.sentence)
            case _:
                pass

    def _checked(self, event: Measured | NotMeasured) -> None:
        self._checks = self._checks[1:]
        if isinstance(event, Measured) and self._lease is not None:
            what = f"{self._witness} is still heard: the antenna is not off"
            self._lease.end("failed", f"{what}; take it off at the converter's input, then look again")
        elif isinstance(event, NotMeasured) and not event.is_silent and self._lease is not None:
            self._lease.end("failed", event.sentence)
        elif self._checks:
            self._check()
        else:
            self._next()

    def _explained(self, stated_hz: float, there_hz: float) -> bool:
        """Return True when a known station would appear there if the converter had another stated oscillator."""
        if self._antenna_off:
            return False
        line = self._place[1]
        kinds = [converter.kind for converter in line.converters]
        for reference in self._desk.station.references:
            for other_hz in self._stated:
                if other_hz == stated_hz:
                    continue
                for kind in kinds:
                    place_hz = Stage(kind, other_hz).convert(reference.frequency_hz)
                    if abs(there_hz - place_hz) < 3 * TOLERANCE_PPM * 1e-6 * other_hz:
                        return True
        return False

    def why_stale(self) -> str:
        """A change of dial or yard makes the scan useless."""
        same = (self._desk.station.dial_hz, self._desk.route) == self._place
        return "" if same else "the dial or the yard was changed meanwhile: look again"

    def ended(self, ending: Ending) -> None:
        """Note the end of the scan."""
        self._line = self._lease = None
        self.trouble = ending.reason
        self._changed.tell()

    def _within_hz(self, stated_hz: float) -> float:
        sigma_ppm = self._known().sigma(crystal_of(self._desk.route.receiver.name))
        return float(max(3 * stated_hz * 1e-6 * (TOLERANCE_PPM**2 + sigma_ppm**2) ** 0.5, 1_000.0))

    def _next(self) -> None:
        self._tune_to(self._left[0])

    def _tune_to(self, socket_hz: float) -> None:
        assert self._line is not None
        assert self._lease is not None
        within_hz = self._within_hz(socket_hz)
        self._live_receiver.tuner.tune(self._line, socket_hz, 1.1 * within_hz, self._lease)
        self._lease.ask(Measure(SCAN_STEP_S, within_hz))
        self._changed.tell()

    def _seen(self, shown_hz: float | None, sigma_hz: float, cn0_dbhz: float) -> None:
        from yarddial.analysis.correction.lo_leak import Glimpse

        stated_hz = self._left.pop(0)
        known = self._known()
        ppm = known.value(crystal_of(self._desk.route.receiver.name))
        if shown_hz is not None and self._explained(stated_hz, shown_hz * (1 + ppm * 1e-6)):
            # A station may cause this line, so it is not counted.
            self.left_out.append(stated_hz)
            if self._left:
                self._next()
            else:
                self._weigh()
            return
        self._glimpses.append(Glimpse(stated_hz, self._within_hz(stated_hz), shown_hz, sigma_hz, cn0_dbhz))
        if self._left:
            self._next()
            return
        self._weigh()

    def _weigh(self) -> None:
        from yarddial.analysis.correction.lo_leak import weigh_leaks

        crystal = crystal_of(self._desk.route.receiver.name)
        known = self._known()
        if self._lease is None:
            return
        if not self._glimpses:
            self._lease.end("failed", "a known station may stand at each stated value: take the antenna off, then look")
            return
        answer = weigh_leaks(
            self._glimpses, known.value(crystal), known.sigma(crystal), TOLERANCE_PPM, antenna_off=self._antenna_off
        )
        # A value that could not be measured may still be the true one.
        self.answer = msgspec.structs.replace(answer, decided=answer.decided and not self.left_out)
        self._lease.end()


def _make(of: CalibrationTopics) -> LoLeakScan:
    return LoLeakScan(of.desk, of.live_receiver, of.jobs, lambda: of.calibration.oscillators)


DECLARATION = Declaration(make=_make, kinds=(LO_LEAK_SCAN,), is_under_way=lambda scan: scan.running)
