"""A transmission that lasts while a person holds a button, received by their own receiver.

The transmitter is keyed only while the button is held, never longer than needed, and released whatever happens.
"""

from collections.abc import Callable
from typing import Literal

from yarddial.engine.jobs.lease import Ending, Job, Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.rig.rig_control import RigControl
from yarddial.yard import clock

# Listening time during a transmission, after a settling time; the key itself is limited to 8 s, see `dead_mans_handle`.
LISTENS_S, SETTLES_S = 2.0, 0.6
# A transmission that does not appear within this time has failed.
SHOWS_S = 2.0
Phase = Literal["", "ready", "guarding", "keyed", "looking"]


class HeldTransmission(Job):
    """One keyed measurement at a time; `press` and `let_go` are the person's hand. A subclass measures."""

    def __init__(self, receiver: LiveReceiver, jobs: Scheduler, rig: RigControl) -> None:
        self._receiver, self._jobs, self._rig = receiver, jobs, rig
        self._changed = Listeners()
        self._lease: Lease | None = None
        self._since_s = 0.0
        self._is_pressed = False
        self.phase: Phase = ""
        self.trouble = ""

    def on_transmission_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for begin, keying, result and end."""
        return self._changed.add(listener)

    @property
    def is_held(self) -> bool:
        """True while the transmitter is keyed from here."""
        return self._is_pressed

    def _listen(self, lease: Lease) -> None:
        """Ask for the measurement, as the transmission has appeared."""
        raise NotImplementedError

    def _is_heard(self) -> bool:
        """Return True when the measurement is complete."""
        raise NotImplementedError

    def _finish(self) -> None:
        """Evaluate the measurement, release the key and end the lease."""
        raise NotImplementedError

    def press(self) -> None:
        """The person presses and holds."""
        if self._lease is not None and self.phase == "ready" and not self._is_pressed:
            self._is_pressed, self.phase, self._since_s = True, "guarding", clock.monotonic_s()
            self._rig.safety.prepare_to_key()
            self._key_when_guarded()
            self._changed.tell()

    def _key_when_guarded(self) -> None:
        """Key the transmitter once the engine has confirmed minimum gains."""
        if self._rig.safety.is_ready_to_key:
            self.phase, self._since_s = "keyed", clock.monotonic_s()
            self._renew()
            self._changed.tell()

    def _renew(self) -> None:
        """Renew the press at each poll, so that a frozen window releases the key."""
        if self._rig.key.handle is not None:
            self._rig.key.handle.hold()

    def let_go(self) -> None:
        """The person lets go; an incomplete recording is not used."""
        if not self._is_pressed:
            return
        self._release_key()
        if self.phase in ("guarding", "keyed", "looking"):
            self.phase, self.trouble = "ready", "let go before it was heard: hold it for some four seconds"
        self._changed.tell()

    def _release_key(self) -> None:
        """Order it to receive, keyed or not; a superfluous order is harmless."""
        self._is_pressed = False
        if self._rig.key.handle is not None:
            self._rig.key.handle.let_go()
        self._rig.safety.has_let_go()

    def _let_go_because(self, trouble: str) -> None:
        self.let_go()
        self.trouble = trouble
        self._changed.tell()

    def cancel(self) -> None:
        """Cancel the measurement."""
        if self._lease is not None:
            self._jobs.cancel(self._lease)

    def ended(self, ending: Ending) -> None:
        """Release the key, whatever ended the measurement."""
        if self._is_pressed:
            self._release_key()
        self._rig.key.leave()
        self._lease, self.phase = None, ""
        if ending.how != "done":
            self.trouble = ending.reason
        self._changed.tell()

    def poll(self) -> None:
        """Start listening when the transmission appears; never hold the key too long."""
        now_s, lease = clock.monotonic_s(), self._lease
        if lease is None or not self.phase:
            return
        if self._rig.status != "linked":
            lease.end("failed", f"the link to {self._rig.name or 'the transceiver'} broke")
            return
        key = self._rig.key.handle
        if self.phase in ("keyed", "looking") and key is not None:
            if key.refusal:
                self._let_go_because(f"the key was let go: {key.refusal}")
                return
            self._renew()
        late = now_s - self._since_s > SHOWS_S
        if self.phase == "guarding":
            self._key_when_guarded()
            if self.phase == "guarding" and late:
                why = self._receiver.guard_trouble or "the receiver did not say that its gains are down"
                self._let_go_because(f"nothing was transmitted: {why}")
        elif self.phase == "keyed" and self._rig.safety.transmitting:
            self.phase, self._since_s = "looking", now_s
            self._listen(lease)
        elif self.phase == "keyed" and late:
            self._let_go_because(f"{self._rig.name} did not say that it transmits: may the computer key it?")
        elif self.phase == "looking" and now_s - self._since_s > LISTENS_S + SETTLES_S and self._is_heard():
            self._finish()
