"""Verdict of Bench: faults of the yard, and its coverage."""

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital, joined
from yarddial.yard.frequency import format_bound, format_frequency
from yarddial.yard.parts import Antenna
from yarddial.yard.plain_text import count_of
from yarddial.yard.reach import Segment, why_out_of_reach


def bench_verdict(desk: Desk, findings: tuple[BenchFinding, ...], coverages: dict[str, tuple[Segment, ...]]) -> Verdict:
    """Faults of the yard first; then its coverage of the spectrum, and whether that includes the dial."""
    station, route = desk.station, desk.route
    if not station.routes:
        return Verdict(
            "unknown",
            "This yard is still empty.",
            "Put in an antenna, what comes behind it, and a receiver; the rest follows from their values.",
            "empty",
        )
    stops = [finding for finding in findings if finding.mark == "stop" and finding.seen is None]
    if stops:
        more = f" {len(stops) - 1} more below." if len(stops) > 1 else ""
        return Verdict("stop", f"{stops[0].what}.", f"{capital(stops[0].why)}.{more}", count_of(len(stops), "stop"))
    if route.missing:
        return Verdict("look", f"{capital(route.missing)}.", "Until then it reaches nothing.", "unfinished route")
    why_not = why_out_of_reach(station, station.dial_hz) or desk.route.why_not(station.dial_hz)
    antennas = sum(isinstance(part, Antenna) for part in station.parts)
    short = f"{count_of(antennas, 'antenna')}, {count_of(len(station.routes), 'route')}"
    spans = sorted(
        (segment.low_hz, segment.high_hz)
        for segments in coverages.values()
        for segment in segments
        if segment.state == "reached"
    )
    if not spans:
        return Verdict("stop", "No route of this yard reaches anything.", "Look at the ranges below.", short)
    stretches = joined(spans)
    reach = " and ".join(f"{format_bound(low)} to {format_bound(high)}" for low, high in stretches)
    if len(stretches) > 2:
        reach = f"{format_bound(stretches[0][0])} to {format_bound(stretches[-1][1])}, with {len(stretches) - 1} gaps"
    if why_not:
        return Verdict("look", f"{format_frequency(station.dial_hz)} is out of reach.", f"{capital(why_not)}.", short)
    weak = route.reach(station.dial_hz).reason
    if weak:
        sentence = f"{format_frequency(station.dial_hz)} is reached, but weakly."
        return Verdict("look", sentence, f"{capital(weak)}.", short)
    return Verdict("good", f"The yard reaches {reach}.", f"The dial's frequency runs over {station.route}.", short)
