"""Which routes serve a frequency, in which order of preference, and what each one covers."""

from bisect import bisect_right
from collections.abc import Callable
from itertools import pairwise

import msgspec

from yarddial.yard.frequency import format_sigma
from yarddial.yard.frequency_conversion import Stage
from yarddial.yard.line import Line, Reach, ReachState
from yarddial.yard.parts import Transceiver, converters_of
from yarddial.yard.station import Station

LOW_HZ, HIGH_HZ = 9e3, 50e9


class Choice(msgspec.Struct, frozen=True):
    """A route at one frequency: what it makes of it, and why it stands where it stands in the order."""

    line: Line
    reach: Reach
    reason: str
    preferred: bool = False


class Segment(msgspec.Struct, frozen=True):
    """A stretch of the dial on which a route's reach is the same."""

    low_hz: float
    high_hz: float
    state: ReachState
    inverted: bool = False
    reason: str = ""
    by: str = ""


def choices(station: Station, dial_hz: float, sigma_hz_of: Callable[[Line], float] | None = None) -> tuple[Choice, ...]:
    """All routes for a dial frequency, the best first, those that do not reach it last.

    Order: in the antenna's range before under it; preferred by the person; without the transceiver, which must be on
    and tuned along; then by the sigma that crystal and oscillators bring: as `sigma_hz_of` knows it, else from the
    parts' own values.
    """
    ranked: list[tuple[tuple[float, ...], Choice]] = []
    for index, (route, line) in enumerate(zip(station.routes, station.lines(), strict=True)):
        reach = line.reach(dial_hz)
        if not reach.is_reached:
            ranked.append(((9.0, index), Choice(line, reach, reach.reason, route.preferred)))
            continue
        sigma_hz = line.sigma_hz(dial_hz) if sigma_hz_of is None else sigma_hz_of(line)
        rig = line.transceiver if line.transceiver is not None and line.transceiver.tap == "if" else None
        key = (reach.state == "under", not route.preferred, rig is not None, sigma_hz, index)
        words = _words(line.at(dial_hz), reach, route.preferred, rig, sigma_hz)
        ranked.append((tuple(float(k) for k in key), Choice(line, reach, words, route.preferred)))
    return tuple(choice for _, choice in sorted(ranked, key=lambda item: item[0]))


def reaching(station: Station, dial_hz: float) -> tuple[Line, ...]:
    """All routes that can serve a dial frequency, in order of preference."""
    return tuple(choice.line for choice in choices(station, dial_hz) if choice.reach.is_reached)


def best_route(station: Station, dial_hz: float) -> str:
    """The route that the points should take for a frequency: the present one while nothing reaches it better."""
    order = [choice for choice in choices(station, dial_hz) if choice.reach.is_reached]
    if not order:
        return station.route
    now = next((choice for choice in order if choice.line.name == station.route), None)
    if now is not None and now.reach.state == order[0].reach.state:
        return station.route
    return order[0].line.name


def why_out_of_reach(station: Station, dial_hz: float) -> str:
    """Why no route serves a dial frequency, each route's reason in turn; empty when one does."""
    if not station.routes:
        return "the yard has no route yet"
    lines = station.lines()
    if any(line.reach(dial_hz).is_reached for line in lines):
        return ""
    return "; ".join(dict.fromkeys(line.why_not(dial_hz) for line in lines))


def coverage(line: Line, low_hz: float = LOW_HZ, high_hz: float = HIGH_HZ) -> tuple[Segment, ...]:
    """The dial from 9 kHz to 50 GHz as a route serves it: stretches of one kind in rising order, without a gap."""
    inside = sorted(edge for edge in _edges(line) if low_hz < edge < high_hz)
    segments: list[Segment] = []
    for low, high in pairwise((low_hz, *inside, high_hz)):
        if high <= low:
            continue
        reach = line.reach((low + high) / 2)
        last = segments[-1] if segments else None
        if last is not None and (last.state, last.inverted, last.reason) == (reach.state, reach.inverted, reach.reason):
            segments[-1] = msgspec.structs.replace(last, high_hz=high)
        else:
            segments.append(Segment(low, high, reach.state, reach.inverted, reach.reason, reach.by))
    return tuple(segments)


class Reaches:
    """All routes of a station, with where each reaches worked out once: for whoever asks at thousands of places."""

    def __init__(self, station: Station) -> None:
        self.lines = station.lines()
        self._segments = [coverage(line) for line in self.lines]
        self._begins = [[segment.low_hz for segment in segments] for segments in self._segments]

    def state(self, index: int, dial_hz: float) -> ReachState:
        """What the route of that index makes of a dial frequency."""
        place = bisect_right(self._begins[index], dial_hz) - 1
        segments = self._segments[index]
        if place >= 0:
            segment = segments[place]
            # On an edge only the route itself knows to which side it belongs.
            if segment.low_hz + 1.0 < dial_hz < segment.high_hz - 1.0:
                return segment.state
        return self.lines[index].reach(dial_hz).state


def reached_spans(line: Line) -> tuple[tuple[float, float], ...]:
    """Ranges of the dial within the antenna's range that a route serves, upright or inverted, rising."""
    spans: list[tuple[float, float]] = []
    for segment in coverage(line):
        if segment.state != "reached":
            continue
        if spans and spans[-1][1] == segment.low_hz:
            spans[-1] = (spans[-1][0], segment.high_hz)
        else:
            spans.append((segment.low_hz, segment.high_hz))
    return tuple(spans)


def _words(line: Line, reach: Reach, preferred: bool, rig: Transceiver | None, sigma_hz: float) -> str:
    words: list[str] = [format_sigma(sigma_hz)] + (["your first choice"] if preferred else [])
    if reach.reason:
        words.append(reach.reason)
    if rig is not None:
        words.append(f"{rig.name} must be on and tuned along")
    elif line.converters:
        words.append(f"{len(line.converters)} oscillator{'s' * (len(line.converters) > 1)} and the crystal")
    else:
        words.append("the crystal alone")
    if reach.inverted:
        words.append("inverted")
    return ", ".join(words)


def _edges(line: Line) -> set[float]:
    """Every dial frequency at which something on the route may begin or end, from the receiver backwards."""
    if line.missing:
        return set()
    edges = set(line.receiver.edges_hz(line.port))
    for part in reversed(line.inner):
        converters = converters_of(part)
        if isinstance(part, Transceiver):
            converters = converters if part.tap == "if" else ()
            # Behind an IF output the frequency is the IF wherever the rig is tuned: nothing behind bounds the dial.
            edges = set() if part.tap == "if" else edges
        elif converters:
            before: set[float] = set()
            for converter in converters:
                stage = Stage(converter.kind, converter.entered_lo_hz)
                before |= {(edge - stage.offset_hz) * stage.sense for edge in edges}
            edges = before
        edges |= set(part.edges_hz())
    return edges | {line.antenna.low_hz, line.antenna.high_hz}
