"""Looking for a converter's own leak with the running receiver: each stated oscillator in turn."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from yarddial.session.desk import Desk
from yarddial.session.engine.messages import CancelMeasure, Event, Measure, Measured, NotMeasured, Stopped
from yarddial.session.engine.process import EngineLink
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.reception import Reception
from yarddial.yard.errors import BadObservations
from yarddial.yard.line import Line
from yarddial.yard.oscillators import Oscillators, crystal_of
from yarddial.yard.parts import Antenna

if TYPE_CHECKING:
    # Not needed before the first paint.
    from yarddial.analysis.correction.lo_leak import Glimpse, LeakAnswer

SECONDS = 1.5
TOLERANCE_PPM = 30.0
# Its measurements are numbered from here, so that they are never taken for a truing's.
FIRST_ID = 1_000_000_000


class LoScan:
    """One scan at a time: tune to each stated value at the socket, find the strongest carrier, weigh them all."""

    def __init__(
        self,
        desk: Desk,
        reception: Reception,
        engine: EngineLink,
        known: Callable[[], Oscillators],
        back_to_dial: Callable[[], None],
    ) -> None:
        self._desk, self._reception, self._engine, self._known = desk, reception, engine, known
        self._back_to_dial = back_to_dial
        self._changed = Listeners()
        self._id = FIRST_ID
        self._left: list[float] = []
        self._glimpses: list[Glimpse] = []
        self._line: Line | None = None
        self._count = 0
        self.answer: LeakAnswer | None = None
        self.trouble = ""
        desk.on_yard_changed(self._disturbed)
        desk.on_dial_changed(self._disturbed)

    @property
    def running(self) -> bool:
        """True while it looks."""
        return self._line is not None

    @property
    def fraction(self) -> float:
        """How much of it is done."""
        return (self._count - len(self._left)) / max(self._count, 1)

    def on_scan_changed(self, listener: Listener) -> Callable[[], None]:
        """It moved on, ended or failed."""
        return self._changed.add(listener)

    def start(self, stated_hz: Sequence[float]) -> None:
        """Look around each stated value that the receiver of the active route can tune to.

        Raises
        ------
        BadObservations
            The receiver can tune to none of them, or the route has no receiver.
        """
        line = self._desk.line
        able = [hertz for hertz in stated_hz if not line.missing and not line.receiver.why_not(hertz)]
        if not able:
            raise BadObservations(
                f"{line.receiver.name} can tune to none of the stated oscillators: use a known station instead"
            )
        self.answer, self.trouble, self._glimpses = None, "", []
        self._left, self._count = list(able), len(able)
        # At the socket itself, past all converters.
        self._line = Line.of("leak", (Antenna("socket", 0.0, 1e12), line.receiver), able[0], line.port)
        if not self._reception.wanted:
            self._reception.start(self._line)
        self._next()

    def cancel(self) -> None:
        """Stop looking."""
        if self.running:
            self._engine.send(CancelMeasure())
            self._end("cancelled")

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        if not self.running:
            return
        look = self._reception.look
        match event:
            case Measured() if event.id == self._id and look is not None:
                shown = look.look_hz + event.carrier.frequency_hz
                # What was seen is counted by the receiver without the correction entered.
                self._seen(shown, event.carrier.sigma_hz, event.carrier.cn0_dbhz)
            case NotMeasured() if event.id == self._id:
                self._seen(None, 0.0, 0.0)
            case Stopped() if event.reason:
                self._end(event.reason)
            case _:
                if self._reception.trouble:
                    self._end(self._reception.trouble)

    def _disturbed(self) -> None:
        """Dial or yard moved: what is heard from here on is not what was asked for."""
        if self.running:
            self._engine.send(CancelMeasure())
            self._end("the dial or the yard was changed meanwhile: look again")

    def _within_hz(self, stated_hz: float) -> float:
        sigma_ppm = self._known().sigma(crystal_of(self._desk.line.receiver.name))
        return float(max(3 * stated_hz * 1e-6 * (TOLERANCE_PPM**2 + sigma_ppm**2) ** 0.5, 1_000.0))

    def _next(self) -> None:
        assert self._line is not None
        stated_hz = self._left[0]
        within_hz = self._within_hz(stated_hz)
        self._reception.tune(self._line, stated_hz, 1.1 * within_hz)
        self._id += 1
        self._engine.send(Measure(self._id, SECONDS, within_hz))
        self._changed.tell()

    def _seen(self, shown_hz: float | None, sigma_hz: float, cn0_dbhz: float) -> None:
        from yarddial.analysis.correction.lo_leak import Glimpse, weigh_leaks

        stated_hz = self._left.pop(0)
        self._glimpses.append(Glimpse(stated_hz, self._within_hz(stated_hz), shown_hz, sigma_hz, cn0_dbhz))
        if self._left:
            self._next()
            return
        crystal = crystal_of(self._desk.line.receiver.name)
        known = self._known()
        self.answer = weigh_leaks(self._glimpses, known.value(crystal), known.sigma(crystal), TOLERANCE_PPM)
        self._end("")

    def _end(self, trouble: str) -> None:
        self._line, self.trouble = None, trouble
        self._back_to_dial()
        self._changed.tell()
