"""The complete check of a yard."""

from collections.abc import Callable, Iterable

import msgspec

from yarddial.analysis.audit.antennas import antennas
from yarddial.analysis.audit.care import care
from yarddial.analysis.audit.connectors import connectors
from yarddial.analysis.audit.exposure import exposure
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.analysis.audit.oscillators import oscillators
from yarddial.analysis.audit.ranges import ranges
from yarddial.analysis.audit.sampling import sampling
from yarddial.analysis.audit.supply import supply
from yarddial.analysis.audit.transmit import transmit
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

Rule = Callable[[Station, tuple[ResolvedRoute, ...]], Iterable[BenchFinding]]
RULES: tuple[Rule, ...] = (transmit, supply, exposure, care, connectors, ranges, oscillators, sampling, antennas)

_ORDER = {"stop": 0, "look": 1, "unknown": 2, "good": 3}


def check_yard(station: Station) -> tuple[BenchFinding, ...]:
    """Return all findings: stops first, safety first among equals; then acknowledged ones, then what is good."""
    routes = tuple(route for route in station.resolved_routes() if not route.missing)
    seen = {(note.key, note.what): note for note in station.acknowledged}
    findings: dict[str, BenchFinding] = {}
    for rule in RULES:
        for finding in rule(station, routes):
            noted = msgspec.structs.replace(finding, seen=seen.get((finding.key, finding.what)))
            findings.setdefault(finding.key, noted)
    return tuple(sorted(findings.values(), key=_place))


def _place(finding: BenchFinding) -> tuple[bool, bool, int, bool]:
    good = finding.mark == "good"
    return (good, finding.seen is not None, _ORDER[finding.mark], not finding.safety)
