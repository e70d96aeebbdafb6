"""Choice of the most useful next measurement, from the covariance."""

from collections.abc import Sequence

import msgspec
import numpy as np

from yarddial.analysis.correction.design import equations, whiten
from yarddial.analysis.correction.outliers import unchecked
from yarddial.yard.observation import Observation, lasting_error_of, observed
from yarddial.yard.oscillators import Oscillators, dial_state
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Reference

# Measurement uncertainty of a carrier after half a minute, without transmitter and path.
MEASURED_HZ = 0.05
# Do not propose a measurement that improves the uncertainty by less than this share.
MIN_GAIN_SHARE = 0.1
# With more rows than this, others change little by one more observation, unless it is of the same station.
EXACT_UP_TO_ROWS = 60


class NextMeasurement(msgspec.Struct, frozen=True):
    """A proposed measurement, with the dial's one-sigma uncertainty at the wanted frequency before and after."""

    reference: Reference
    route: str
    before_hz: float
    after_hz: float

    @property
    def is_worth_it(self) -> bool:
        """Return True when the uncertainty falls by a tenth or more."""
        return self.after_hz < (1 - MIN_GAIN_SHARE) * self.before_hz


def slopes(route: ResolvedRoute, dial_hz: float, oscillators: Oscillators) -> np.ndarray:
    """Change of the dial reading per unit of each oscillator, hertz, at a frequency over a route; shape (k,)."""
    slope_vector = np.zeros(len(oscillators.names))
    for name, slope in dial_state(route, dial_hz, oscillators).slopes:
        slope_vector[oscillators.names.index(name)] = slope
    return slope_vector


def next_measurement(
    routes: Sequence[ResolvedRoute],
    references: Sequence[Reference],
    oscillators: Oscillators,
    wanted: Sequence[tuple[ResolvedRoute, float]],
    observations: Sequence[Observation] = (),
    before: Oscillators | None = None,
) -> NextMeasurement | None:
    """The measurement after which the wanted places are known best; None where none can be made.

    One more look at a carrier of sigma s over a route of slopes a takes C a a^T C / (a^T C a + s^2) off the covariance
    [1]_; with few looks all are solved again, as what one look alone tells is unchecked until another agrees, and a
    station that was measured already errs alike again. All pairs of station and route are tried.

    Parameters
    ----------
    lines, references : sequences
        What can be measured over what.
    oscillators : Oscillators
        What is known now, with its covariance.
    wanted : sequence of (line, dial_hz)
        Places that matter; the mean of their variances, each against its own now, is made least.
    made : sequence of Observation
        What went into `oscillators`; `before` is what was known without them.

    References
    ----------
    .. [1] Bayesian linear design: Chaloner & Verdinelli, Statistical Science 10 (1995) 273-304, section 2.
    """
    goals = [slopes(route, dial_hz, oscillators) for route, dial_hz in wanted]
    candidates = [
        (route, reference) for route in routes for reference in references if not route.why_not(reference.frequency_hz)
    ]
    known = np.array(oscillators.covariance)
    now = [max(float(goal @ known @ goal), 1e-12) for goal in goals]
    best: tuple[float, Reference, ResolvedRoute, float] | None = None
    for route, reference in candidates:
        if len(observations) <= EXACT_UP_TO_ROWS or any(_is_same(seen, reference) for seen in observations):
            after = _after_measurement(route, reference, oscillators, goals, observations, before or oscillators)
        else:
            a = slopes(route, reference.frequency_hz, oscillators)
            moved = known @ a
            variance = float(a @ moved) + reference.sigma_hz**2 + MEASURED_HZ**2
            after = [n - float(goal @ moved) ** 2 / variance for goal, n in zip(goals, now, strict=True)]
        cost = sum(value / n for value, n in zip(after, now, strict=True))
        if best is None or cost < best[0] - 1e-12:
            best = (cost, reference, route, after[0])
    if best is None:
        return None
    return NextMeasurement(best[1], best[2].name, now[0] ** 0.5, max(best[3], 0.0) ** 0.5)


def _is_same(seen: Observation, reference: Reference) -> bool:
    return seen.shares == lasting_error_of(reference.name, reference.frequency_hz)


def _after_measurement(
    route: ResolvedRoute,
    reference: Reference,
    oscillators: Oscillators,
    goals: Sequence[np.ndarray],
    observations: Sequence[Observation],
    before: Oscillators,
) -> list[float]:
    """Variances at the wanted frequencies after one more observation, including what it checks and what stays
    unchecked.
    """
    latest = max((seen.at_utc for seen in observations), default="")
    candidate = observed(route, reference, reference.frequency_hz, MEASURED_HZ, latest)
    covariance = covariance_after((*observations, candidate), before)
    return [float(goal @ covariance @ goal) for goal in goals]


def covariance_after(candidates: Sequence[Observation], before: Oscillators) -> np.ndarray:
    """Covariance of all oscillators, shape (k, k), after adding observations to prior knowledge."""
    names = before.names
    rows, right, noise = equations(candidates, names)
    lies_hz = np.array([candidate.lie_sigma_hz for candidate in candidates]) * unchecked(rows, noise.group)
    white, _ = whiten(rows, right, noise.with_lies(lies_hz))
    weight = np.diag([1 / max(before.sigma(name), 1e-12) ** 2 for name in names])
    covariance: np.ndarray = np.linalg.inv(white.T @ white + weight)
    return covariance
