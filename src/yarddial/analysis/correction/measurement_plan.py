"""Plan of measurements that brings every wanted frequency within its tolerance, or shows that none can."""

from collections.abc import Sequence
from math import log

import msgspec
import numpy as np

from yarddial.analysis.correction.design import Matrix
from yarddial.analysis.correction.next_measurement import MEASURED_HZ, covariance_after, slopes
from yarddial.yard.observation import Observation, observed
from yarddial.yard.oscillators import Oscillators
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

# Two sigma must be within the tolerance.
WITHIN_SIGMA = 2.0
# Maximum length of a plan; ignore a measurement that gains less than this.
MAX_MEASUREMENTS, MIN_GAIN = 24, 0.02
# Accept this multiple of the best uncertainty that all known stations together can reach.
NEAR_BEST = 1.5


class WantedPlace(msgspec.Struct, frozen=True):
    """A wanted dial frequency with its route, and its tolerance in hertz."""

    route: ResolvedRoute
    dial_hz: float
    tolerance_hz: float


class PlannedMeasurement(msgspec.Struct, frozen=True):
    """A measurement of one station over a route."""

    reference: Reference
    route: str


class MeasurementPlan(msgspec.Struct, frozen=True):
    """Measurements in order; and the frequencies that stay beyond their tolerance, with the uncertainty they reach."""

    measurements: tuple[PlannedMeasurement, ...]
    unmet: tuple[tuple[WantedPlace, float], ...]


def plan_measurements(
    routes: Sequence[ResolvedRoute],
    references: Sequence[Reference],
    oscillators: Oscillators,
    wanted: Sequence[WantedPlace],
    observations: Sequence[Observation] = (),
    before: Oscillators | None = None,
    left_out: frozenset[tuple[str, str]] = frozenset(),
) -> MeasurementPlan:
    """Choose look after look by what it brings to the places that are not within their tolerance yet.

    A place counts by ln(2 sigma / tolerance) while that is above 0; each look is weighed with all before it, and what
    one look alone tells stays unchecked until another agrees. Where no single look helps, pairs are tried.

    Parameters
    ----------
    routes, references : sequences
        What can be measured over what. left_out : (station, route) that are not to be tried.
    oscillators : Oscillators
        What is known now. made : the looks that went into it; `before` is what was known without them.
    wanted : sequence of WantedPlace
    """
    measurements: list[Observation] = list(observations)
    seen = {(candidate.reference_name, candidate.reference_hz, candidate.route) for candidate in observations}
    # A second observation of the same carrier on the same day has the same error and adds nothing.
    able = [
        (route, reference)
        for route in routes
        for reference in references
        if (reference.name, route.name) not in left_out
        and (reference.name, reference.frequency_hz, route.name) not in seen
        and not route.why_not(reference.frequency_hz)
    ]
    start = before or oscillators
    goals = [slopes(place.route, place.dial_hz, oscillators) for place in wanted]
    known: Matrix = np.array(oscillators.covariance)
    allowed = _allowed(
        wanted,
        goals,
        covariance_after([*measurements, *(_as_measured(*candidate) for candidate in able)], start) if able else known,
    )
    planned: list[PlannedMeasurement] = []
    while able and len(planned) < MAX_MEASUREMENTS:
        cost = _cost(known, goals, allowed)
        if cost <= 0:
            break
        best = _best(able, measurements, start, goals, allowed)
        if best is None or best[0] > cost - MIN_GAIN:
            best = _best_pair(able, measurements, start, goals, allowed)
            if best is None or best[0] > cost - MIN_GAIN:
                break
        _, chosen = best
        for route, reference in chosen:
            measurements.append(_as_measured(route, reference))
            planned.append(PlannedMeasurement(reference, route.name))
            able.remove((route, reference))
        known = covariance_after(measurements, start)
    return MeasurementPlan(tuple(planned), tuple(_unmet(known, goals, wanted)))


def _allowed(wanted: Sequence[WantedPlace], goals: Sequence[np.ndarray], best: Matrix) -> list[float]:
    """Target uncertainty of each frequency, two sigma in hertz: its tolerance, or near the best possible."""
    return [
        max(place.tolerance_hz, NEAR_BEST * WITHIN_SIGMA * float(goal @ best @ goal) ** 0.5)
        for place, goal in zip(wanted, goals, strict=True)
    ]


def _best(
    able: Sequence[tuple[ResolvedRoute, Reference]],
    measurements: Sequence[Observation],
    start: Oscillators,
    goals: Sequence[np.ndarray],
    allowed: Sequence[float],
) -> tuple[float, tuple[tuple[ResolvedRoute, Reference], ...]] | None:
    best: tuple[float, tuple[tuple[ResolvedRoute, Reference], ...]] | None = None
    for route, reference in able:
        cost = _cost(covariance_after([*measurements, _as_measured(route, reference)], start), goals, allowed)
        if best is None or cost < best[0] - 1e-9:
            best = (cost, ((route, reference),))
    return best


def _best_pair(
    able: Sequence[tuple[ResolvedRoute, Reference]],
    measurements: Sequence[Observation],
    start: Oscillators,
    goals: Sequence[np.ndarray],
    allowed: Sequence[float],
) -> tuple[float, tuple[tuple[ResolvedRoute, Reference], ...]] | None:
    """Find the pair of measurements that helps only together, such as one that checks the other."""
    best: tuple[float, tuple[tuple[ResolvedRoute, Reference], ...]] | None = None
    for i, first in enumerate(able):
        for second in able[i + 1 :]:
            both = [*measurements, _as_measured(*first), _as_measured(*second)]
            cost = _cost(covariance_after(both, start), goals, allowed)
            if best is None or cost < best[0] - 1e-9:
                best = (cost, (first, second))
    return best


def _as_measured(route: ResolvedRoute, reference: Reference) -> Observation:
    return observed(route, reference, reference.frequency_hz, MEASURED_HZ)


def _cost(known: Matrix, goals: Sequence[np.ndarray], allowed: Sequence[float]) -> float:
    cost = 0.0
    for goal, allowed_hz in zip(goals, allowed, strict=True):
        sigma_hz = float(goal @ known @ goal) ** 0.5
        cost += max(log(max(WITHIN_SIGMA * sigma_hz / allowed_hz, 1e-12)), 0.0)
    return cost


def _unmet(
    known: Matrix, goals: Sequence[np.ndarray], wanted: Sequence[WantedPlace]
) -> list[tuple[WantedPlace, float]]:
    unmet_places = []
    for goal, place in zip(goals, wanted, strict=True):
        sigma_hz = float(goal @ known @ goal) ** 0.5
        if WITHIN_SIGMA * sigma_hz > place.tolerance_hz:
            unmet_places.append((place, sigma_hz))
    return unmet_places
