"""Protection of the receiver from a linked transceiver: route kept closed, power judged, sound muted."""

from collections.abc import Callable
from typing import Protocol

from yarddial.analysis.audit.worst_power import WorstPower, worst_power_of
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.editing import acknowledge
from yarddial.yard.parts import Transceiver
from yarddial.yard.resolved_route import ResolvedRoute

# A transmission without a pause this long suggests a stuck key.
STUCK_S = 180.0


class Guarded(Protocol):
    """The linked transceiver as its safety sees it."""

    @property
    def name(self) -> str:
        """Empty without a link."""
        ...

    @property
    def part(self) -> Transceiver | None:
        """As a part of the yard."""
        ...

    def home(self) -> ResolvedRoute:
        """Route on which it is followed."""
        ...


class RigSafety:
    """In force while a transceiver is linked, followed or not."""

    def __init__(self, desk: Desk, receiver: LiveReceiver, jobs: Scheduler, listening: Listening, rig: Guarded) -> None:
        self._desk, self._receiver, self._jobs, self._listening, self._rig = desk, receiver, jobs, listening, rig
        self._since_s: float | None = None
        # True from a reported transmission until it reports reception.
        self._may_transmit = False
        # Keyed from here until this moment; infinite while held, None otherwise.
        self._keyed_until_s: float | None = None
        self._known: dict[str, tuple[object, object, WorstPower | None]] = {}
        # None where it does not report it, or is not linked.
        self.transmitting: bool | None = None
        self._is_protected: Callable[[ResolvedRoute], bool] | None = None
        receiver.consult(self.why_closed)
        receiver.on_receiver_changed(self._receiver_changed)

    @property
    def is_stuck(self) -> bool:
        """True when it has transmitted for longer than anybody speaks."""
        return self._since_s is not None and clock.monotonic_s() - self._since_s > STUCK_S

    def worst(self, route: ResolvedRoute | None = None) -> WorstPower | None:
        """Worst-case power of the linked transceiver at the receiver of a route, the active one by default."""
        part, station = self._rig.part, self._desk.station
        route = route or self._desk.route
        if part is None:
            return None
        known = self._known.get(route.name)
        if known is None or known[0] is not station.parts or known[1] is not station.routes:
            known = (station.parts, station.routes, worst_power_of(station, route, part))
            self._known[route.name] = known
        return known[2]

    @property
    def is_acknowledged(self) -> bool:
        """True when a person has acknowledged exactly these words about the worst power."""
        worst = self.worst(self._rig.home())
        if worst is None:
            return True
        return any(seen.key == _key(worst) and seen.what == worst.words for seen in self._desk.station.acknowledged)

    def acknowledge(self, note: str = "") -> None:
        """Store the person's acknowledgement with the yard."""
        worst = self.worst(self._rig.home())
        if worst is not None:
            station = acknowledge(self._desk.station, _key(worst), worst.words, note or "seen", clock.today())
            self._desk.edit(f"{worst.rig}'s power on {worst.route} seen", station)

    def protected_by(self, is_protected: Callable[[ResolvedRoute], bool]) -> None:
        """Register the procedure that protects a receiver by an attenuator, which it has seen itself."""
        self._is_protected = is_protected

    def why_closed_here(self) -> str:
        """The same for the active route."""
        return self.why_closed(self._desk.route)

    def why_closed(self, route: ResolvedRoute) -> str:
        """Why the receiver must stay off on a route while this transceiver may transmit; empty where it need not."""
        name = self._rig.name
        if not name or self._receiver.plays or route.missing:
            return ""
        worst = self.worst(route)
        if worst is None or worst.is_safe or (self._is_protected is not None and self._is_protected(route)):
            return ""
        return f"{worst.words}: the receiver stays off on this route while {name} is linked"

    def enforce(self) -> None:
        """Stop a receiver that is open where it must not be, or that did not lower its gains when told."""
        why = self.why_closed(self._desk.route)
        if not why and self._receiver.guard_has_failed:
            why = f"{self._receiver.guard_trouble}: the receiver stays off while {self._rig.name} transmits"
        if self._receiver.wanted and why:
            self._receiver.stop()
            self._receiver.refuse(why)

    def set_transmitting(self, transmitting: bool | None, asked_s: float = float("inf")) -> None:
        """Process its transmit state: mute, lower gains, end listening jobs; restore when reception is certain.

        transmitting : None, where it did not answer, changes nothing.
        asked_s : time of the question, by this computer's monotonic clock.
        """
        was, self.transmitting = self.transmitting, transmitting
        if transmitting:
            self._may_transmit = True
        elif transmitting is False:
            self._may_transmit = False
            if self._keyed_until_s is not None and asked_s >= self._keyed_until_s:
                self._keyed_until_s = None
        self._hold()
        if transmitting and not was:
            self._since_s = clock.monotonic_s()
            if not self._jobs.hears_transmissions:
                self._jobs.cancel_all(f"{self._rig.name} transmits")
        if not transmitting:
            self._since_s = None

    def prepare_to_key(self) -> None:
        """Lower the gains before keying from here. Key when `is_ready_to_key` is True."""
        self._keyed_until_s = float("inf")
        self._hold()

    def has_let_go(self) -> None:
        """Note the order to receive; gains stay down until a later reading confirms it."""
        if self._keyed_until_s is not None:
            self._keyed_until_s = clock.monotonic_s()

    @property
    def guard_sentence(self) -> str:
        """What the receiver does about a transmission, as confirmed by its engine."""
        receiver = self._receiver
        sound = "The receiver is muted" if self._listening.is_muted else "The receiver hears it"
        if not receiver.running:
            return "The receiver is off."
        if receiver.is_guarded:
            return f"{sound}, and its gains are at their minimum."
        if receiver.guard_trouble:
            return f"{sound}; its gains are as they were: {receiver.guard_trouble}."
        return f"{sound}; its gains are being lowered."

    @property
    def is_ready_to_key(self) -> bool:
        """True once the engine has confirmed minimum gains, or that there are none to lower."""
        receiver = self._receiver
        if not receiver.wants_guard or not receiver.is_tuned:
            return False
        return receiver.is_guarded or (bool(receiver.guard_trouble) and not receiver.guard_has_failed)

    def _hold(self) -> None:
        """Keep gains down and sound off while it may transmit; mute here too, since some audio is in transit."""
        may_transmit = self._may_transmit or self._keyed_until_s is not None
        is_muted = may_transmit and not self._jobs.hears_transmissions
        self._receiver.guard(may_transmit)
        self._listening.mute(is_muted)
        self._receiver.mute(is_muted)

    def _receiver_changed(self) -> None:
        """Stop the receiver if it did not lower its gains."""
        if self._receiver.guard_has_failed:
            self.enforce()

    def is_lost(self) -> None:
        """Its state is unknown now; what was muted stays muted."""
        if self.transmitting is False:
            self.transmitting = None

    def let_go(self) -> None:
        """End the protection: no transceiver is linked any more."""
        self.set_transmitting(None)
        self._may_transmit, self._keyed_until_s = False, None
        self._hold()


def _key(worst: WorstPower) -> str:
    return f"follow:{worst.rig}:{worst.route}"
