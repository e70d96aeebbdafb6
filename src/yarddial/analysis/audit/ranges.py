"""Check for routes that reach nothing, and for converter outputs outside the receiver's range.

Source: the conversion of each part as entered, `yard.frequency_conversion`; nothing is assumed.
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.parts import Transceiver, converters_of
from yarddial.yard.parts.spans import span_text
from yarddial.yard.reach import coverage
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station


def ranges(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check unfinished routes, then every finished one."""
    for route in station.resolved_routes():
        if route.missing and not _ends_in_transmitter(station, route.name):
            yield BenchFinding(
                f"route:{route.name}", "look", route.missing[:1].upper() + route.missing[1:], "it reaches nothing yet"
            )
    for route in routes:
        yield from _route(route)


def _ends_in_transmitter(station: Station, name: str) -> bool:
    """Return True for a transmitter's own line, which is complete without a receiver."""
    names = station.route_named(name).parts
    end = station.part(names[-1]) if len(names) > 1 else None
    return isinstance(end, Transceiver) and end.transmit_w > 0


def _route(route: ResolvedRoute) -> Iterator[BenchFinding]:
    segments = coverage(route)
    if not any(segment.state in ("reached", "weak") for segment in segments):
        reason = route.why_not((route.antenna.low_hz * route.antenna.high_hz) ** 0.5) or "its ranges do not meet"
        what = f"Route '{route.name}' reaches nothing: {reason}"
        yield BenchFinding(f"route:{route.name}", "stop", what, "look at the ranges of its parts")
        return
    movers = [part for part in route.inner if converters_of(part) and not isinstance(part, Transceiver)]
    if not movers:
        return
    taken = converters_of(movers[0])
    wanted = [(max(c.input_low_hz, route.antenna.low_hz), min(c.input_high_hz, route.antenna.high_hz)) for c in taken]
    behind = {part.name for part in route.inner[route.inner.index(movers[0]) + 1 :]}
    for segment in segments:
        lost = [(max(low, segment.low_hz), min(high, segment.high_hz)) for low, high in wanted]
        for low_hz, high_hz in lost:
            if segment.state in ("hole", "out") and low_hz < high_hz and segment.by in {route.receiver.name, *behind}:
                out = sorted(route.at(hertz).points()[-1].out_hz for hertz in (low_hz, high_hz))
                what = (
                    f"{span_text(low_hz, high_hz)} comes out of {movers[-1].name} at {span_text(*out)}, "
                    f"outside {segment.by}"
                )
                yield BenchFinding(
                    f"range:{route.name}:{low_hz:.0f}", "look", what, segment.reason, movers[-1].name
                )  # fmt: skip
