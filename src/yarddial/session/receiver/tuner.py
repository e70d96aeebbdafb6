"""Tuner of the receiver: the latest request, and the tuning that the engine acknowledged."""

from collections.abc import Callable

import msgspec

from yarddial.drivers.protocol import RequestedSettings
from yarddial.engine.commands import Tune
from yarddial.engine.events import Event, SafeguardsSet, Stopped, Tuned, TuneRefused
from yarddial.engine.jobs.lease import Lease
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.engine.tuning import Tuning
from yarddial.session.receiver.picture import ReceiverPicture
from yarddial.yard.resolved_route import ResolvedRoute

# Keep the centre while the dial is this far from its spike and within this share of the span.
OFF_SPIKE_HZ, CLEAN_SHARE = 3_000.0, 0.4
# A picture wider than this share of the span shows all around the centre.
WHOLE_SHARE = 0.25


class ReceiverTuner:
    """Requests tunings and tracks which one is in force.

    can_receive : called with a route before a request; False where its receiver must not be tuned.
    why_not_connected : called with a route's name; why a hand must connect it first, empty where it is connected.
    """

    def __init__(
        self,
        jobs: Scheduler,
        can_receive: Callable[[ResolvedRoute], bool],
        why_not_connected: Callable[[str], str],
    ) -> None:
        self._jobs, self._can_receive, self._why_not_connected = jobs, can_receive, why_not_connected
        # True while the latest refusal is about a plug, which the engine cannot know.
        self.waits_for_hand = False
        self._requested: Tune | None = None
        self._lease: Lease | None = None
        # Why the engine refused the latest request; empty where it did not.
        self.refusal = ""
        # Callbacks for the acknowledgement of the latest request; a refusal ends their leases.
        self._waiting: list[tuple[Lease, Callable[[Tuning], None]]] = []
        # The listening job, and the settings requested for it.
        self._listened: tuple[int, RequestedSettings] | None = None
        # Shown picture: frequency, half span, sense.
        self._pictured: tuple[object, ...] = ()
        self._acknowledged: Tuning | None = None
        self.picture = ReceiverPicture(jobs, self._is_current)

    @property
    def requested(self) -> Tune | None:
        """Latest request, whether fulfilled or not; None since the receiver was started."""
        return self._requested

    @property
    def tuning(self) -> Tuning | None:
        """Acknowledged tuning of the latest request; None until then, after a refusal, and while off."""
        acknowledged = self._acknowledged
        return acknowledged if acknowledged is not None and self._is_current(acknowledged.id) else None

    @property
    def acknowledged(self) -> Tuning | None:
        """Tuning in force: the last acknowledged one, even if another has been requested since."""
        return self._acknowledged

    def plugs_changed(self) -> None:
        """Refuse the tuning in use when its route was disconnected; after a refusal for a plug, allow a new request."""
        tune, lease = self._requested, self._lease
        if tune is None:
            return
        if why := self._why_not_connected(tune.route):
            if not self.waits_for_hand:
                # A job that asked for the move itself goes on, and tunes again when it is done.
                hears = lease is not None and lease.is_alive and not lease.kind.asks_hands
                self._refuse(tune, lease if hears else None, why)
        elif self.waits_for_hand:
            self._requested, self.waits_for_hand, self.refusal = None, False, ""

    def _is_current(self, tuning_id: int) -> bool:
        return self._requested is not None and tuning_id == self._requested.id

    def when_tuned(self, lease: Lease, act: Callable[[Tuning], None]) -> None:
        """Call `act` with the latest requested tuning once acknowledged; a refusal ends the lease."""
        if (tuning := self.tuning) is not None:
            act(tuning)
        else:
            self._waiting.append((lease, act))

    def begin_anew(self) -> None:
        """Forget all requests: the receiver is started, perhaps in another process."""
        self._requested, self._acknowledged, self.refusal = None, None, ""

    def tune(self, route: ResolvedRoute, dial_hz: float, half_width_hz: float, lease: Lease | None = None) -> None:
        """Tune to a dial frequency under a lease, or without one when no job tunes; else do nothing.

        A repeated request is not sent, unless it was refused.
        """
        route = route.at(dial_hz)
        self.tune_with(route, settings_for(route), half_width_hz, lease)

    def tune_with(
        self,
        route: ResolvedRoute,
        requested: RequestedSettings,
        half_width_hz: float,
        lease: Lease | None,
        *,
        anew: bool = False,
        as_found: bool = False,
    ) -> None:
        """Tune the route with exactly these settings; with `anew` also when they were requested last.

        as_found : receive whatever the socket holds now, connected as the route has it or not; the tuning then names no
        route.
        """
        if not self._jobs.may_tune(lease) or not self._can_receive(route):
            return
        self.picture.sense = _sense(route)
        middle_hz = route.counted_hz(route.dial_hz)
        self._send(Tune(requested, middle_hz, half_width_hz, "" if as_found else route.name), lease, anew=anew)

    def listen(self, route: ResolvedRoute, dial_hz: float, chart_hz: float, half_hz: float, lease: Lease) -> float:
        """Show half_hz around chart_hz; keep the centre while the dial is well inside the span.

        Returns the actual middle of the picture on the dial, which is limited by the span.
        """
        route = route.at(dial_hz)
        if not self._jobs.may_tune(lease) or not self._can_receive(route):
            return chart_hz
        rate_hz, counted_hz = route.receiver.rate_hz, route.counted_hz(dial_hz)
        now, wanted = self._parked_for(lease), settings_for(route)
        same = now is not None and msgspec.structs.replace(now, centre_hz=wanted.centre_hz) == wanted
        clean = now is not None and OFF_SPIKE_HZ < abs(counted_hz - now.centre_hz) < CLEAN_SHARE * rate_hz
        if now is None or not (same and clean):
            now = wanted
        self.picture.sense = _sense(route)
        scale = self.picture.sense / (1 + route.receiver.entered_ppm * 1e-6)
        room_hz = max(rate_hz / 2 - half_hz, 0.0) if half_hz < WHOLE_SHARE * rate_hz else 0.0
        middle_hz = counted_hz + (chart_hz - dial_hz) * scale
        middle_hz = min(max(middle_hz, now.centre_hz - room_hz), now.centre_hz + room_hz)
        self._listened = (lease.id, now)
        shown_hz = dial_hz + (middle_hz - counted_hz) / scale
        # A change of the transceiver's tuning moves the IF, while the picture keeps its place on the dial.
        pictured = (route.name, round(shown_hz, 1), half_hz, self.picture.sense, self.picture.half_span_hz)
        keeps = route.rig_centre_hz is not None and pictured == self._pictured and self.tuning is not None
        self._pictured = pictured
        self._send(Tune(now, middle_hz, half_hz, route.name), lease, keeps_picture=keeps)
        return shown_hz

    def _parked_for(self, lease: Lease) -> RequestedSettings | None:
        """Parked centre of the listening job, else of the dial."""
        if self._listened is not None and self._listened[0] == lease.id:
            return self._listened[1]
        asked = self._requested
        return asked.requested if asked is not None and asked.job == 0 and self.tuning is not None else None

    def _send(self, tune: Tune, lease: Lease | None, *, anew: bool = False, keeps_picture: bool = False) -> None:
        if why := self._why_not_connected(tune.route):
            if not (self.waits_for_hand and lease is None and self._is_repeated(tune)):
                self._refuse(tune, lease, why)
            return
        # A job must hear of each refusal; the dial only once.
        is_known = self.tuning is not None or lease is None or (not self.refusal and lease is self._lease)
        is_known = is_known and not self.waits_for_hand
        if not anew and is_known and self._is_repeated(tune):
            return
        number = self._jobs.send(tune, None) if lease is None else lease.ask(tune)
        if not number:
            return
        self._lease, self.refusal, self.waits_for_hand = lease, "", False
        self._requested = msgspec.structs.replace(tune, id=number, job=lease.id if lease is not None else 0)
        if not keeps_picture:
            self.picture.begin()

    def _is_repeated(self, tune: Tune) -> bool:
        last = self._requested
        return last is not None and tune == msgspec.structs.replace(last, id=0, job=0)

    def _refuse(self, tune: Tune, lease: Lease | None, why: str) -> None:
        """Refuse a tuning over a route that is not connected, as the engine refuses one that the device cannot do."""
        number = self._jobs.refuse(None, why) if lease is None else lease.refuse_tuning(why)
        if number:
            self._lease, self.waits_for_hand, self.refusal = lease, True, why
            self._requested = msgspec.structs.replace(tune, id=number, job=lease.id if lease is not None else 0)
            self.picture.begin()

    def take(self, event: Event) -> bool:
        """Take an engine event; return True when it acknowledges the latest requested tuning."""
        match event:
            case Tuned():
                self._acknowledged = event.tuning
            case SafeguardsSet() if event.tuning is not None:
                self._acknowledged = event.tuning
                return False
            case TuneRefused() if self._is_current(event.id):
                self.refusal = event.sentence
                if self._listened is not None and self._listened[0] == event.job:
                    self._listened = None
                waiting, self._waiting = self._waiting, []
                for lease, _ in waiting:
                    lease.end("failed", event.sentence)
                return True
            case Stopped():
                # Callbacks wait for another receiver that takes over; those of ended leases are ignored.
                self._acknowledged = None
                self.picture.span = None
                return False
            case _:
                self.picture.take(event)
                return False
        if (tuning := self.tuning) is None:
            return False
        waiting, self._waiting = self._waiting, []
        for lease, act in waiting:
            if lease.is_alive:
                act(tuning)
        return True


def settings_for(route: ResolvedRoute) -> RequestedSettings:
    """Settings for a route's receiver at its frequency: the centre parked beside it, in whole kilohertz."""
    receiver = route.receiver
    parked_hz = route.parked_hz(route.counted_hz(route.dial_hz), receiver.park_hz)
    centre_hz = parked_hz if receiver.fixed_centre_hz else round(parked_hz, -3)
    return RequestedSettings(
        centre_hz,
        receiver.rate_hz,
        route.port,
        receiver.bandwidth_hz,
        receiver.gains_db(),
        receiver.automatic_gain,
        receiver.feeds(route.port),
    )


def _sense(route: ResolvedRoute) -> int:
    sense = 1
    for stage in route.stages:
        sense *= stage.sense
    fold = route.fold(route.points()[-1].out_hz)
    return sense if fold is None else sense * fold.sense
