"""Suggestion of the most useful next measurement, computed in the background."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from yarddial.session.background import Background
from yarddial.session.calibration.oscillator_estimates import OscillatorEstimates
from yarddial.session.station.desk import Desk
from yarddial.yard.oscillators import Oscillators, dial_state
from yarddial.yard.references import why_no_reference
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.correction.fit import CorrectionFit
    from yarddial.analysis.correction.next_measurement import NextMeasurement


class NextRequest(msgspec.Struct, frozen=True):
    """Inputs for choosing the next measurement."""

    station: Station
    oscillators: Oscillators
    before: Oscillators
    fit: "CorrectionFit | None"

    def solve(self) -> "NextMeasurement | None":
        """Most useful next measurement at the dial; for inseparable unknowns also on their other routes."""
        from yarddial.analysis.correction.next_measurement import next_measurement

        station, route = self.station, self.station.active_route()
        if route.why_not(station.dial_hz):
            return None
        routes = [route_line for route_line in station.resolved_routes() if route_line.receiver.device]
        usable = [
            r for r in station.references if r.mode in ("am", "cw") and not why_no_reference(r.kind, r.frequency_hz)
        ]
        kept_rows = self.fit.kept if self.fit is not None else ()
        wanted = [(route, station.dial_hz)]
        if self.fit is not None and self.fit.inseparable:
            # Inseparable oscillators also matter elsewhere: on every route that uses one of them.
            loose = {estimate.name for estimate in self.fit.estimates if not estimate.separate}
            for other in routes:
                place = next((r.frequency_hz for r in usable if not other.why_not(r.frequency_hz)), None)
                if place is not None and loose & {n for n, _ in dial_state(other, place, self.oscillators).slopes}:
                    wanted.append((other, place))
        return next_measurement(routes, usable, self.oscillators, wanted, kept_rows, self.before)


class Suggestion:
    """Most useful measurement at the dial, with its expected result."""

    def __init__(
        self,
        desk: Desk,
        background: Background,
        estimates: OscillatorEstimates,
        changed: Callable[[], None],
    ) -> None:
        """changed : called when `latest` changes."""
        self._desk, self._background, self._estimates, self._changed = desk, background, estimates, changed
        self._asked: NextRequest | None = None
        self._latest: NextMeasurement | None = None

    def now(self) -> "NextMeasurement | None":
        """Compute it at once; None where nothing would help."""
        return self._request().solve()

    @property
    def latest(self) -> "NextMeasurement | None":
        """Latest suggestion; one for the present yard is computed in the background."""
        request = self._request()
        if request != self._asked:
            self._asked = request
            self._background.ask("the next measurement", request.solve, self._take, lambda sentence: self._take(None))
        return self._latest

    def _request(self) -> NextRequest:
        known = self._estimates
        return NextRequest(self._desk.station, known.oscillators, known.before, known.fit)

    def _take(self, measurement: "NextMeasurement | None") -> None:
        if measurement != self._latest:
            self._latest = measurement
            self._changed()
