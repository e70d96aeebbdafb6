"""The linked transceiver beside the receiver: followed both ways, left for a while and returned to.

It never keys a transmitter; `own_transmission` does, while a button is held.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from yarddial.drivers.rig.protocol import (
    RigAnswer,
    RigLink,
    RigOrder,
    RigRefused,
    RigState,
    SetRigFrequency,
    SetRigMode,
    SetRigSplit,
    mode_key_of,
    sideband_of,
)
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.rig.display_jumps import STEADY_S, DisplayJumps
from yarddial.session.rig.following import Following, FollowingMode
from yarddial.session.rig.key_control import KeyControl
from yarddial.session.rig.rig_modes import demodulation_of, edges_of, plain_demodulation, rig_mode_of, width_of
from yarddial.session.rig.safety import RigSafety
from yarddial.session.station.desk import Desk
from yarddial.yard import clock
from yarddial.yard.errors import BadStation
from yarddial.yard.modes import mode_named
from yarddial.yard.parts import Transceiver
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported when a transceiver is linked.
    from yarddial.session.rig.worker import RigNews, RigWorker

RigStatus = Literal["off", "opening", "linked", "lost"]
# Report this many consecutive failed readings.
FAILED_READINGS_TO_TELL = 3
# Beyond this share of the span a move of the dial leaves the picture.
FAR_SHARE = 0.4


class RigControl:
    """One linked transceiver. `poll` is called with the session's."""

    def __init__(
        self,
        desk: Desk,
        receiver: LiveReceiver,
        jobs: Scheduler,
        listening: Listening,
        open_link: Callable[[str], RigLink] | None = None,
    ) -> None:
        self._desk, self._receiver, self._jobs, self._listening = desk, receiver, jobs, listening
        self._open_link = open_link
        self._changed = Listeners()
        self._worker: RigWorker | None = None
        self._following, self._mode = Following(), FollowingMode()
        self._orders: dict[int, RigOrder] = {}
        self._number = 0
        self._is_moving = False
        # True when its expected frequency is used before it reports it: too far for the picture to wait.
        self._is_ahead = False
        self._dial_hz = 0.0
        self._jumps = DisplayJumps()
        self._failed = 0
        # Name of the linked transceiver; empty without one.
        self.name = ""
        self.status: RigStatus = "off"
        self.trouble = ""
        self.remark = ""
        # Its latest reported state.
        self.shown: RigState | None = None
        # Whether a person wants it followed; and the route to return to while the receiver is elsewhere.
        self.is_wanted = False
        self.is_roaming = False
        self._home_route = ""
        self.key = KeyControl()
        self.safety = RigSafety(desk, receiver, jobs, listening, self)
        desk.wait_for(lambda: self.is_settled)
        desk.on_dial_changed(self._dial_moved)
        desk.on_yard_changed(self._yard_changed)
        listening.on_listening_changed(self._listening_changed)

    def on_rig_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for link, loss, moves, following and transmission."""
        return self._changed.add(listener)

    # What it is

    @property
    def part(self) -> Transceiver | None:
        """The linked transceiver as a part of the yard."""
        return next((p for p in self._desk.station.parts if isinstance(p, Transceiver) and p.name == self.name), None)

    @property
    def is_following(self) -> bool:
        """True while dial and transceiver follow each other."""
        return self.is_wanted and not self.is_roaming and self.status == "linked" and not self.pauses

    @property
    def pauses(self) -> str:
        """Why following pauses though wanted; it resumes by itself. Empty while it runs."""
        if self._jumps.is_jumping:
            return f"{self.name}'s display jumps by itself: following waits until it has stood still for {STEADY_S:g} s"
        if self._failed >= FAILED_READINGS_TO_TELL:
            return f"{self.name}: {self.trouble}"
        return ""

    @property
    def is_settled(self) -> bool:
        """False while the transceiver has not reached the dial yet."""
        return not self.is_following or self._following.is_settled

    @property
    def step_hz(self) -> float:
        """Step of its display, as far as observed."""
        return self._following.step_hz

    @property
    def strays(self) -> int:
        """Number of answers that matched no question or never came: late, repeated, garbled, lost."""
        return int(getattr(self._worker.link, "strays", 0)) if self._worker is not None else 0

    @property
    def moves(self) -> tuple[int, int]:
        """How often following has moved the transceiver, and the dial."""
        return self._following.rig_moves, self._following.dial_moves

    def place_hz(self) -> float | None:
        """Its frequency on the dial of the active route."""
        return None if self.shown is None else self._route().dial_of_display(self.shown.frequency_hz)

    def transmit_place_hz(self) -> float | None:
        """Its transmit frequency on the dial in split operation; else None."""
        if self.shown is None or self.shown.transmit_hz is None:
            return None
        return self._route().dial_of_display(self.shown.transmit_hz)

    # Linking

    def link(self, name: str) -> None:
        """Link a transceiver of the yard by its address; raises BadStation where it has none."""
        part = self._desk.station.part(name)
        if not isinstance(part, Transceiver) or not part.link:
            raise BadStation(f"{name} has no address by which it is controlled: choose how it is linked")
        self.unlink()
        if self._open_link is None:
            from yarddial.drivers.rig.opening import open_rig

            self._open_link = open_rig
        from yarddial.session.rig.worker import RigWorker

        opens, address = self._open_link, part.link
        self.name, self.status, self.trouble, self.remark = name, "opening", "", ""
        self._worker = RigWorker(lambda: opens(address))
        self.safety.enforce()
        self._changed.tell()

    def unlink(self) -> None:
        """Unlink: nothing follows, and the receiver is no longer kept off for its sake."""
        self.key.leave()
        if self._worker is not None:
            self._worker.close()
        self._worker = None
        self._desk.settled()
        self.safety.let_go()
        self._receiver.cable = ""
        self._desk.rig_shows("", None)
        self.name, self.status, self.trouble, self.remark, self.shown = "", "off", "", "", None
        self.is_wanted = self.is_roaming = False
        self._begin_anew()
        self._changed.tell()

    def _begin_anew(self) -> None:
        self._following, self._mode = Following(), FollowingMode()
        self._orders.clear()
        self._jumps.forget()
        self._failed = 0

    # Following

    def home(self) -> ResolvedRoute:
        """Route on which it is followed; while the receiver is elsewhere, the route to return to."""
        station = self._desk.station
        away = self.is_roaming and any(route.name == self._home_route for route in station.routes)
        return station.resolve(self._home_route) if away else self._desk.route

    def follow(self) -> bool:
        """Start following; the dial goes to the transceiver's frequency.

        False where the worst power at the receiver was not acknowledged for this route.
        """
        if not self.name or not self.safety.is_acknowledged:
            return False
        if self.is_roaming and self._home_route:
            self._go_home()
        self.is_wanted, self.is_roaming = True, False
        self._following.give_up()
        self._mode.give_up()
        self._home_route = self._desk.station.route
        if self.shown is not None and self.status == "linked":
            self._take_place(self.shown, clock.monotonic_s())
        self._changed.tell()
        return True

    def roam(self) -> None:
        """Leave the transceiver where it is; the receiver is free."""
        if self.is_wanted:
            self._home_route = self._desk.station.route
            self.is_roaming = True
            self._following.give_up()
            self._mode.give_up()
            self._changed.tell()

    def toggle(self) -> bool:
        """Follow, leave, return, by one key. False where an acknowledgement is needed first."""
        if self.is_wanted and not self.is_roaming:
            self.roam()
            return True
        return self.follow()

    def _go_home(self) -> None:
        if any(route.name == self._home_route for route in self._desk.station.routes):
            self._is_moving = True
            try:
                self._desk.choose_route(self._home_route)
            finally:
                self._is_moving = False

    def split(self, transmit_hz: float | None) -> None:
        """Set its transmit frequency to a dial frequency; None ends split operation."""
        if self._worker is not None:
            wanted = None if transmit_hz is None else round(self._route().display_hz(transmit_hz))
            self.order(SetRigSplit(wanted))

    def order(self, order: RigOrder) -> int:
        """Send an order and return its number."""
        import msgspec

        self._number += 1
        numbered = msgspec.structs.replace(order, number=self._number)
        if self._worker is not None:
            self._orders[self._number] = numbered
            self._worker.order(numbered)
        return self._number

    def ready_key(self) -> str:
        """Open the transmitter's key. Return why not, or an empty text."""
        return self.key.ready(self._worker, self.name)

    def poll(self) -> None:
        """Process its reports, and send pending settings."""
        if self.key.poll():
            self._changed.tell()
        if self._worker is None:
            return
        news = self._worker.take()
        for event in news:
            self._take(event)
        if self.is_following and self.safety.transmitting is not True:
            self._send(clock.monotonic_s())
        if self.is_settled:
            self._desk.settled()
        if news:
            self._changed.tell()

    def _take(self, news: "RigNews") -> None:
        from yarddial.session.rig.worker import Linked, Unlinked

        match news:
            case Linked():
                self.status, self.trouble = "linked", ""
                self._begin_anew()
                self._lay_cable()
            case Unlinked(sentence):
                self.status, self.trouble = "lost", sentence
                self._begin_anew()
                self.safety.is_lost()
            case RigAnswer():
                self._take_answer(news)

    def _take_answer(self, answer: RigAnswer) -> None:
        now_s = clock.monotonic_s()
        order = self._orders.pop(answer.order.number, None) if answer.order.number else None
        if order is None:
            self._take_reading(answer)
            return
        refused = answer.failure if isinstance(answer.failure, RigRefused) else None
        if refused is not None:
            self.remark = f"{self.name} refused: {refused}"
        match order:
            case SetRigFrequency():
                self._following.was_refused(now_s) if refused else self._following.was_answered(now_s)
            case SetRigMode():
                self._mode.was_refused(now_s) if refused else self._mode.was_answered(now_s)
            case _:
                pass

    def _take_reading(self, answer: RigAnswer) -> None:
        if answer.state is None:
            self._failed += 1
            self.trouble = str(answer.failure or "")
            return
        if self._failed >= FAILED_READINGS_TO_TELL:
            # Moves shown meanwhile do not count.
            self._following.give_up()
            self._mode.give_up()
        self._failed, self.trouble = 0, ""
        before, self.shown = self.shown, answer.state
        self.safety.set_transmitting(answer.state.transmitting, answer.asked_s)
        self._watch_turns(before, answer.state)
        self._tell_place()
        if self.is_following:
            self._take_place(answer.state, answer.asked_s)

    def _take_place(self, state: RigState, asked_s: float) -> None:
        """Move dial and mode to follow the transceiver."""
        to_hz = self._following.rig_said(state.frequency_hz, asked_s)
        to_mode = self._mode.rig_said((state.mode, state.passband_hz or 0.0), asked_s) if state.mode else None
        if to_hz is None and to_mode is None:
            return
        station = self._desk.station
        key = mode_key_of(to_mode[0]) if to_mode is not None else None
        dial_hz = station.dial_hz if to_hz is None else self._route().dial_of_display(to_hz)
        self._is_moving = True
        try:
            self._desk.follow_rig(dial_hz, key or station.mode)
            if to_mode is not None and key is not None:
                demodulation = demodulation_of(to_mode[0])
                self._listening.follow_rig(demodulation, edges_of(demodulation, to_mode[1]))
            self._dial_hz = self._desk.station.dial_hz
        finally:
            self._is_moving = False
        self.remark = ""
        if to_mode is not None and key is None:
            what = f"{self.name}'s mode '{to_mode[0]}' is not one that is known here"
            self.remark = f"{what}: the dial follows, it does not"

    def _tell_place(self) -> None:
        """Report the frequency at the middle of its IF, which lays out the picture."""
        state, part = self.shown, self.part
        self._is_ahead = self._is_ahead and not self._following.is_settled
        if state is None or part is None or self._is_ahead:
            return
        self._show_centre(state.frequency_hz + self._offset_hz())

    def _offset_hz(self) -> float:
        """Middle of its IF minus its display, in its present mode."""
        part, mode = self.part, self.shown.mode if self.shown is not None else ""
        if part is None:
            return 0.0
        return part.offset_hz(mode_key_of(mode) or "", is_lower=sideband_of(mode) == "lower")

    def _show_centre(self, centre_hz: float) -> None:
        self._is_moving = True
        try:
            self._desk.rig_shows(self.name, centre_hz)
        finally:
            self._is_moving = False

    def _watch_turns(self, before: RigState | None, now: RigState) -> None:
        """Count moves of its display that were not ordered from here."""
        if before is None or not self._following.is_settled:
            return
        if not self._following.is_same(now.frequency_hz, self._route().display_hz(self._desk.station.dial_hz)):
            self._jumps.moved(now.frequency_hz - before.frequency_hz)

    def _lay_cable(self) -> None:
        """Connect a simulated receiver to the stand-in transceiver."""
        stand_in = getattr(self._worker.link, "owned", None) if self._worker is not None else None
        port = getattr(stand_in, "port", 0) if getattr(stand_in, "centre_hz", None) is not None else 0
        self._receiver.cable = f"rig={port}" if port else ""

    def _send(self, now_s: float) -> None:
        hertz, mode = self._following.to_set(now_s), self._mode.to_set(now_s)
        if mode is not None:
            self.order(SetRigMode(mode[0], mode[1] or None))
        if hertz is not None:
            self.order(SetRigFrequency(hertz))

    def _dial_moved(self) -> None:
        # First of all, since another route may have become active.
        self.safety.enforce()
        dial_hz = self._desk.station.dial_hz
        if self._is_moving or not self.is_following:
            self._dial_hz = dial_hz
            return
        if dial_hz != self._dial_hz:
            self._dial_hz = dial_hz
            self._send_place()
        self._send_mode()

    def _send_place(self) -> None:
        part, route = self.part, self._route()
        display_hz = round(route.display_hz(self._dial_hz))
        owner = self._jobs.tuner
        if owner is not None and owner.kind.nature == "work" and route.transceiver is None:
            # A measurement over another route must not tune it.
            return
        if part is not None and part.why_not(display_hz):
            self.remark = f"{part.why_not(display_hz)}: the dial goes there alone"
            return
        self.remark = ""
        self._following.person_moved(float(display_hz))
        offset_hz = self._offset_hz()
        if self.shown is not None and abs(display_hz - self.shown.frequency_hz) > FAR_SHARE * route.receiver.rate_hz:
            self._is_ahead = True
            self._show_centre(display_hz + offset_hz)

    def _send_mode(self) -> None:
        """Send the demodulation used here, unless the transceiver's mode already matches."""
        if self.shown is None or self._mode.wanted is not None:
            return
        station, listening = self._desk.station, self._listening
        demodulation = plain_demodulation(listening.demodulation_at_dial())
        key = mode_named(station.mode).key
        if (mode_key_of(self.shown.mode), demodulation_of(self.shown.mode)) == (key, demodulation):
            return
        mode = rig_mode_of(key, demodulation)
        if mode:
            heard = listening.is_open and plain_demodulation(listening.settings.demodulation) == demodulation
            self._mode.person_moved((mode, width_of(listening.settings) if heard else 0.0))

    def _listening_changed(self) -> None:
        if self._is_moving or not self.is_following or self.shown is None or not self._listening.is_open:
            return
        self._send_mode()
        width_hz = width_of(self._listening.settings)
        shown_hz = self.shown.passband_hz
        if self._mode.wanted is None and width_hz and shown_hz and abs(width_hz - shown_hz) > 1.0:
            self._mode.person_moved((self.shown.mode, width_hz))

    def _yard_changed(self) -> None:
        if self.name and self.part is None:
            self.unlink()
        self.safety.enforce()
        if self.name:
            self._changed.tell()

    def _route(self) -> ResolvedRoute:
        """The active route with the transceiver on it; else one without converters before it."""

        def is_mine(route: ResolvedRoute) -> bool:
            return route.transceiver is not None and route.transceiver.name == self.name

        active = self._desk.route
        if is_mine(active):
            return active
        return next((route for route in self._desk.station.resolved_routes() if is_mine(route)), active)
