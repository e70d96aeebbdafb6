"""Direct sampling without a filter: the zones lie on top of each other."""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.frequency import format_bound
from yarddial.yard.line import Line
from yarddial.yard.parts import TwoPort
from yarddial.yard.station import Station


def sampling(station: Station, lines: tuple[Line, ...]) -> Iterator[BenchFinding]:
    """Every route that ends in a direct input."""
    for line in lines:
        direct = line.receiver.direct
        if direct is None or not line.receiver.samples_directly(line.port):
            continue
        zone_hz = direct.clock_hz / 2
        if any(isinstance(part, TwoPort) and _keeps_one_zone(part, zone_hz) for part in line.inner):
            continue
        what = (
            f"{line.name} samples directly without a filter: zones of {format_bound(zone_hz)} lie on top of each other"
        )
        why = f"a low-pass of {format_bound(zone_hz)} at most keeps the first zone, a band-pass any other"
        yield BenchFinding(f"sampling:{line.name}", "look", what, why, line.receiver.name)


def _keeps_one_zone(part: TwoPort, zone_hz: float) -> bool:
    """True for a filter whose pass band lies within one zone."""
    if part.what != "filter" or part.shape == "notch":
        return False
    edges = part.edges_hz()
    low_hz, high_hz = min(edges, default=0.0), max(edges, default=1e12)
    return int(low_hz / zone_hz) == int(max(high_hz - 1.0, 0.0) / zone_hz)
