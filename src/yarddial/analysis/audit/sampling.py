"""Check of direct sampling without a filter, where signals of all zones overlap.

Source: Nyquist zones of real sampling (Oppenheim & Schafer, Discrete-Time Signal Processing, 4.2): zones of half the
clock fold onto each other.
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.frequency import format_bound
from yarddial.yard.parts import TwoPort
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Pass band of a filter of usual steepness, as a share of the frequency from which it must stop.
SLOPE_SHARE = 0.8


def sampling(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check every route that ends in a direct input."""
    for route in routes:
        direct = route.receiver.direct
        if direct is None or not route.receiver.samples_directly(route.port):
            continue
        zone_hz = direct.clock_hz / 2
        if direct.low_pass_hz is not None and direct.low_pass_hz < zone_hz:
            # A filter made for its receiver is steep enough.
            continue
        if any(isinstance(part, TwoPort) and _keeps_one_zone(part, zone_hz) for part in route.inner):
            continue
        what = (
            f"{route.name} samples directly without a filter: zones of {format_bound(zone_hz)} lie on top of each other"
        )
        slope_hz = SLOPE_SHARE * zone_hz
        why = (
            f"a low-pass of {format_bound(slope_hz)} at most keeps the first zone, as its slope needs the rest; "
            "a band-pass keeps any other"
        )
        yield BenchFinding(f"sampling:{route.name}", "look", what, why, route.receiver.name)


def _keeps_one_zone(part: TwoPort, zone_hz: float) -> bool:
    """Return True for a filter whose pass band lies within one zone."""
    if part.what != "filter" or part.shape == "notch":
        return False
    edges = part.edges_hz()
    low_hz, high_hz = min(edges, default=0.0), max(edges, default=1e12)
    return int(low_hz / zone_hz) == int(max(high_hz - 1.0, 0.0) / zone_hz)
