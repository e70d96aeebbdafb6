"""What a linked transceiver could do to the receiver: the route kept closed, the power seen, the sound muted."""

from collections.abc import Callable
from typing import Protocol

from yarddial.analysis.audit.worst_power import WorstPower, worst_power_of
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.editing import acknowledge
from yarddial.yard.line import Line
from yarddial.yard.parts import Transceiver

# Nobody speaks for so long without a pause.
STUCK_S = 180.0


class Guarded(Protocol):
    """The linked transceiver, as its safety sees it."""

    @property
    def name(self) -> str:
        """Empty while none is linked."""
        ...

    @property
    def part(self) -> Transceiver | None:
        """As the yard has it."""
        ...

    def home(self) -> Line:
        """The route on which it is followed."""
        ...


class RigSafety:
    """Holds for as long as a transceiver is linked, whether it is followed or not."""

    def __init__(self, desk: Desk, receiver: LiveReceiver, jobs: Scheduler, listening: Listening, rig: Guarded) -> None:
        self._desk, self._receiver, self._jobs, self._listening, self._rig = desk, receiver, jobs, listening, rig
        self._since_s: float | None = None
        self._known: dict[str, tuple[object, object, WorstPower | None]] = {}
        # None where it does not tell, or is not linked.
        self.transmitting: bool | None = None
        # A job that listens to what is transmitted, and must not be ended by it.
        self.hears_itself: Callable[[], bool] = lambda: False
        receiver.forbids = self.why_closed

    @property
    def is_stuck(self) -> bool:
        """True where it has transmitted for longer than anybody speaks."""
        return self._since_s is not None and clock.monotonic_s() - self._since_s > STUCK_S

    def worst(self, line: Line | None = None) -> WorstPower | None:
        """What the linked transceiver brings to the receiver of a route at worst, the active one by default."""
        part, station = self._rig.part, self._desk.station
        line = line or self._desk.line
        if part is None:
            return None
        known = self._known.get(line.name)
        if known is None or known[0] is not station.parts or known[1] is not station.routes:
            known = (station.parts, station.routes, worst_power_of(station, line, part))
            self._known[line.name] = known
        return known[2]

    @property
    def is_acknowledged(self) -> bool:
        """Whether a person has seen what comes to the receiver at worst, in just these words, where it is followed."""
        worst = self.worst(self._rig.home())
        if worst is None:
            return True
        return any(seen.key == _key(worst) and seen.what == worst.words for seen in self._desk.station.acknowledged)

    def acknowledge(self, note: str = "") -> None:
        """The person has seen it; kept with the yard."""
        worst = self.worst(self._rig.home())
        if worst is not None:
            station = acknowledge(self._desk.station, _key(worst), worst.words, note or "seen", clock.today())
            self._desk.edit(f"{worst.rig}'s power on {worst.route} seen", station)

    def why_closed_here(self) -> str:
        """The same of the active route."""
        return self.why_closed(self._desk.line)

    def why_closed(self, line: Line) -> str:
        """Why the receiver must stay off on a route while this transceiver may transmit; empty where it need not."""
        name = self._rig.name
        if not name or self._receiver.plays or line.missing:
            return ""
        worst = self.worst(line)
        if worst is None or worst.is_safe:
            return ""
        return f"{worst.words}: the receiver stays off on this route while {name} is linked"

    def enforce(self) -> None:
        """Stop a receiver that stands open where it must not."""
        if self._receiver.wanted and (why := self.why_closed(self._desk.line)):
            self._receiver.stop()
            self._receiver.refuse(why)

    def set_transmitting(self, transmitting: bool | None) -> None:
        """As it says: mute, shut, end what listens; and open again when it surely is over."""
        was, self.transmitting = self.transmitting, transmitting
        if transmitting and not was:
            self._since_s = clock.monotonic_s()
            self._receiver.guard(True)
            if not self.hears_itself():
                self._listening.mute(True)
                self._jobs.cancel_all(f"{self._rig.name} transmits")
        elif was and transmitting is False:
            self._receiver.guard(False)
            self._listening.mute(False)
        if not transmitting:
            self._since_s = None

    def is_lost(self) -> None:
        """Whether it transmits is not known now; what was muted stays muted."""
        if self.transmitting is False:
            self.transmitting = None

    def let_go(self) -> None:
        """No transceiver is linked any more."""
        self.set_transmitting(None)
        self._receiver.guard(False)
        self._listening.mute(False)


def _key(worst: WorstPower) -> str:
    return f"follow:{worst.rig}:{worst.route}"
