"""Inspection of the yard: findings and coverage of each route, recomputed only after a change."""

from yarddial.analysis.audit.check import check_yard
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.station.desk import Desk
from yarddial.yard.reach import Segment, coverage
from yarddial.yard.station import Station


class Inspection:
    """Findings and coverage of the present station."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._checked: tuple[Station, tuple[BenchFinding, ...]] | None = None
        self._covered: tuple[object, object, dict[str, tuple[Segment, ...]]] | None = None

    def findings(self) -> tuple[BenchFinding, ...]:
        """Faults of the yard, safety first."""
        station = self._desk.station
        if self._checked is None or self._checked[0] is not station:
            self._checked = (station, check_yard(station))
        return self._checked[1]

    def keep_away_m(self) -> dict[str, float]:
        """Distance that people keep from each transmitting antenna, as far as the yard was checked already."""
        if self._checked is None or self._checked[0].parts is not self._desk.station.parts:
            return {}
        distances_m: dict[str, float] = {}
        for finding in self._checked[1]:
            if finding.distance_m is not None:
                distances_m[finding.part] = max(finding.distance_m, distances_m.get(finding.part, 0.0))
        return distances_m

    def coverages(self) -> dict[str, tuple[Segment, ...]]:
        """Coverage of each route by name; independent of the dial."""
        station, known = self._desk.station, self._covered
        if known is None or known[0] is not station.parts or known[1] is not station.routes:
            by_route = {route.name: coverage(route) for route in station.resolved_routes()}
            self._covered = known = (station.parts, station.routes, by_route)
        return known[2]
