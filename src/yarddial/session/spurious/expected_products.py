"""Spurious signals to expect at the dial before any test: from the yard and the known strong signals."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

import msgspec

from yarddial.session.activity import Declaration
from yarddial.session.listeners import Listener, Listeners
from yarddial.session.receiver.tuner import settings_for
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.station.desk import Desk
from yarddial.yard.resolved_route import ResolvedRoute

if TYPE_CHECKING:
    # Imported when the place is opened.
    from yarddial.analysis.ghosts.desensing import Desense
    from yarddial.analysis.ghosts.scene import Ghost, Scene

# Resolution of the floor below expected products, as in a span picture, and their highest order.
STEP_HZ, MAX_ORDER = 500.0, 3


class ExpectRequest(msgspec.Struct, frozen=True):
    """Inputs of the prediction; the span's centre on the dial."""

    dial_hz: float
    route: str
    scene: "Scene"
    centre_hz: float
    rate_hz: float
    floor_dbm: float

    def work_out(self) -> "tuple[Ghost, ...]":
        """Predict; with many strong signals not on the interface thread."""
        from yarddial.analysis.ghosts.prediction import predict

        return predict(self.scene, self.centre_hz, self.rate_hz, self.floor_dbm, MAX_ORDER)


class ExpectedProducts:
    """Latest prediction, and whether it belongs to the present dial."""

    def __init__(self, desk: Desk, span_test: SpanTest) -> None:
        self._desk, self._span_test = desk, span_test
        self._changed = Listeners()
        self._asked_for: object = None
        self.request: ExpectRequest | None = None
        self.ghosts: tuple[Ghost, ...] = ()
        # Losses of the wanted signal by strong ones, without any spurious signal.
        self.desensed: tuple[Desense, ...] = ()

    def on_expected_changed(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for a new prediction."""
        return self._changed.add(listener)

    def needed(self) -> ExpectRequest | None:
        """Inputs when dial, yard or known signals have changed; else None."""
        station, known = self._desk.station, self._span_test.strong.known
        now = (station.dial_hz, self._desk.route.name, station.parts, known)
        if now == self._asked_for:
            return None
        self._asked_for, self.ghosts, self.desensed, self.request = now, (), (), None
        route = self._desk.route.at(station.dial_hz)
        if route.why_not(station.dial_hz):
            return None
        self.request = self._request(route)
        self.desensed = self._desensed(route)
        return self.request

    def take(self, request: ExpectRequest, ghosts: "tuple[Ghost, ...]") -> None:
        """Take a prediction, unless its inputs are outdated."""
        if request is self.request:
            self.ghosts = ghosts
            self._changed.tell()

    def _desensed(self, route: ResolvedRoute) -> "tuple[Desense, ...]":
        from yarddial.analysis.ghosts.desensing import desensing
        from yarddial.analysis.levels.level_line import level_line
        from yarddial.yard.demodulation import demodulations_of, usual

        demodulation = demodulations_of(self._desk.station.mode, route.dial_hz)[0]
        width_hz = usual(demodulation, route.dial_hz, self._desk.station.region).width_hz
        floor_dbm = level_line(route, self._desk.outside, width_hz).plates[-1].floor_dbm
        return desensing(self._span_test.scene(route), route.dial_hz, width_hz, floor_dbm)

    def _request(self, route: ResolvedRoute) -> ExpectRequest:
        from yarddial.analysis.levels.level_line import level_line

        receiver, dial_hz = route.receiver, route.dial_hz
        centre_hz = route.dial_of(settings_for(route).centre_hz, dial_hz)
        floor_dbm = level_line(route, self._desk.outside, STEP_HZ).plates[-1].floor_dbm
        scene = self._span_test.scene(route)
        return ExpectRequest(dial_hz, route.name, scene, centre_hz, receiver.rate_hz, floor_dbm)


class ProductTopics(Protocol):
    """What this activity needs of the session."""

    @property
    def desk(self) -> Desk:
        """The desk with the yard."""
        ...

    @property
    def span_test(self) -> SpanTest:
        """The span test."""
        ...


def _make(of: ProductTopics) -> ExpectedProducts:
    return ExpectedProducts(of.desk, of.span_test)


DECLARATION = Declaration(make=_make)
