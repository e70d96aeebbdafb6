"""Routes that serve a frequency, in order of preference, and the coverage of each."""

from bisect import bisect_right
from collections.abc import Callable
from itertools import pairwise

import msgspec

from yarddial.yard.antenna_gain import ABOVE_SIGMA_DB, highest_hz, weaker_db
from yarddial.yard.frequency import format_sigma
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.parts import Transceiver, converters_of
from yarddial.yard.resolved_route import Reach, ReachState, ResolvedRoute
from yarddial.yard.shared_sockets import moves_for
from yarddial.yard.station import Station

LOW_HZ, HIGH_HZ = 9e3, 50e9


class Choice(msgspec.Struct, frozen=True):
    """A route at one frequency: whether it reaches it, and why it ranks where it does."""

    route: ResolvedRoute
    reach: Reach
    reason: str
    preferred: bool = False


class Segment(msgspec.Struct, frozen=True):
    """A range of the dial in which a route's reach does not change."""

    low_hz: float
    high_hz: float
    state: ReachState
    inverted: bool = False
    reason: str = ""
    by: str = ""


def choices(
    station: Station, dial_hz: float, sigma_hz_of: Callable[[ResolvedRoute], float] | None = None
) -> tuple[Choice, ...]:
    """All routes for a dial frequency, the best first, those that do not reach it last.

    Order: in the antenna's range before outside it; without moving a plug; preferred by the person; without the
    transceiver, which must be on and tuned along; then by the sigma that crystal and oscillators bring: as
    `sigma_hz_of` knows it, else from the parts' own values.
    """
    ranked: list[tuple[tuple[float, ...], Choice]] = []
    for index, (route, resolved) in enumerate(zip(station.routes, station.resolved_routes(), strict=True)):
        reach = resolved.reach(dial_hz)
        if not reach.is_reached:
            ranked.append(((9.0, index), Choice(resolved, reach, reach.reason, route.preferred)))
            continue
        sigma_hz = resolved.sigma_hz(dial_hz) if sigma_hz_of is None else sigma_hz_of(resolved)
        rig = resolved.transceiver if resolved.transceiver is not None and resolved.transceiver.tap == "if" else None
        by_hand = bool(moves_for(station, route.name))
        key = (
            reach.state == "weak",
            _weakness(resolved.at(dial_hz)),
            by_hand,
            not route.preferred,
            rig is not None,
            sigma_hz,
            index,
        )
        words = _words(resolved.at(dial_hz), reach, route.preferred, rig, sigma_hz) + ", needs a hand" * by_hand
        ranked.append((tuple(float(k) for k in key), Choice(resolved, reach, words, route.preferred)))
    return tuple(choice for _, choice in sorted(ranked, key=lambda item: item[0]))


def reaching(station: Station, dial_hz: float) -> tuple[ResolvedRoute, ...]:
    """Routes that can serve a dial frequency, in order of preference."""
    return tuple(choice.route for choice in choices(station, dial_hz) if choice.reach.is_reached)


def best_route(station: Station, dial_hz: float) -> str:
    """Best route for a dial frequency; the active one wins a tie."""
    order = [choice for choice in choices(station, dial_hz) if choice.reach.is_reached]
    if not order:
        return station.route
    now = next((choice for choice in order if choice.route.name == station.route), None)
    if now is not None and now.reach.state == order[0].reach.state:
        return station.route
    return order[0].route.name


def why_out_of_reach(station: Station, dial_hz: float) -> str:
    """Reasons of all routes for not serving a dial frequency; empty when one does."""
    if not station.routes:
        return "the yard has no route yet"
    routes = station.resolved_routes()
    if any(route.reach(dial_hz).is_reached for route in routes):
        return ""
    return "; ".join(dict.fromkeys(route.why_not(dial_hz) for route in routes))


def coverage(route: ResolvedRoute, low_hz: float = LOW_HZ, high_hz: float = HIGH_HZ) -> tuple[Segment, ...]:
    """Coverage of a route from 9 kHz to 50 GHz: contiguous segments in rising order."""
    inside = sorted(edge for edge in _edges(route) if low_hz < edge < high_hz)
    segments: list[Segment] = []
    for low, high in pairwise((low_hz, *inside, high_hz)):
        if high <= low:
            continue
        reach = route.reach((low + high) / 2)
        last = segments[-1] if segments else None
        if last is not None and (last.state, last.inverted, last.reason) == (reach.state, reach.inverted, reach.reason):
            segments[-1] = msgspec.structs.replace(last, high_hz=high)
        else:
            segments.append(Segment(low, high, reach.state, reach.inverted, reach.reason, reach.by))
    return tuple(segments)


class Reaches:
    """Coverage of all routes, computed once for queries at many frequencies."""

    def __init__(self, station: Station) -> None:
        self.routes = station.resolved_routes()
        self._segments = [coverage(line) for line in self.routes]
        self._begins = [[segment.low_hz for segment in segments] for segments in self._segments]

    def state(self, index: int, dial_hz: float) -> ReachState:
        """State of the indexed route at a dial frequency."""
        place = bisect_right(self._begins[index], dial_hz) - 1
        segments = self._segments[index]
        if place >= 0:
            segment = segments[place]
            # At an edge, ask the route itself which side applies.
            if segment.low_hz + 1.0 < dial_hz < segment.high_hz - 1.0:
                return segment.state
        return self.routes[index].reach(dial_hz).state


def reached_spans(route: ResolvedRoute) -> tuple[tuple[float, float], ...]:
    """Dial ranges, rising, that a route serves within its antenna's range, with their sense."""
    spans: list[tuple[float, float]] = []
    for segment in coverage(route):
        if segment.state != "reached":
            continue
        if spans and spans[-1][1] == segment.low_hz:
            spans[-1] = (spans[-1][0], segment.high_hz)
        else:
            spans.append((segment.low_hz, segment.high_hz))
    return tuple(spans)


def _words(route: ResolvedRoute, reach: Reach, preferred: bool, rig: Transceiver | None, sigma_hz: float) -> str:
    words: list[str] = [format_sigma(sigma_hz)] + (["your first choice"] if preferred else [])
    if reach.reason:
        words.append(reach.reason + _by_how_much(route))
    if rig is not None:
        words.append(f"{rig.name} must be on and tuned along")
    elif route.converters:
        words.append(f"{len(route.converters)} oscillator{'s' * (len(route.converters) > 1)} and the crystal")
    else:
        words.append("the crystal alone")
    if reach.inverted:
        words.append("inverted")
    return ", ".join(words)


def _weakness(route: ResolvedRoute) -> int:
    """How far outside its range an antenna is, in steps of what the model can tell apart."""
    weaker = weaker_db(route.antenna, route.dial_hz)
    return 0 if weaker is None else round(weaker.value / ABOVE_SIGMA_DB)


def _by_how_much(route: ResolvedRoute) -> str:
    weaker = weaker_db(route.antenna, route.dial_hz)
    return "" if weaker is None else f" by some {weaker.value:.0f} ± {weaker.sigma:.0f} dB"


def _edges(route: ResolvedRoute) -> set[float]:
    """Every dial frequency at which a part of the route may begin or end, from the receiver backwards."""
    if route.missing:
        return set()
    edges = set(route.receiver.edges_hz(route.port))
    for part in reversed(route.inner):
        converters = converters_of(part)
        if isinstance(part, Transceiver):
            converters = converters if part.tap == "if" else ()
            # Behind an IF output the frequency is always the IF: later parts do not bound the dial.
            edges = set() if part.tap == "if" else edges
        elif converters:
            before: set[float] = set()
            for converter in converters:
                stage = Stage(converter.kind, converter.entered_lo_hz)
                before |= {(edge - stage.offset_hz) * stage.sense for edge in edges}
            edges = before
        edges |= set(part.edges_hz())
    return edges | {route.antenna.low_hz, route.antenna.high_hz, highest_hz(route.antenna)}
