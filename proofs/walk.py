"""The walk through all oscillators on 200 random yards: it ends, every route serves, and hardly a look is too many."""

from itertools import combinations

import numpy as np

from yarddial.analysis.correction.fit import fit
from yarddial.analysis.correction.measurement_plan import WITHIN_SIGMA, WantedPlace, plan_measurements
from yarddial.analysis.correction.next_measurement import MEASURED_HZ, covariance_after, slopes
from yarddial.analysis.correction.posterior import merge, priors_of
from yarddial.session.calibration.correction import propose
from yarddial.session.calibration.oscillator_list import usable_references, wanted_places
from yarddial.yard.observation import Observation, observed
from yarddial.yard.oscillators import Oscillators, dial_state, stated_oscillators
from yarddial.yard.parts import Antenna, Converter, Port, Receiver, Value
from yarddial.yard.references import kind_named
from yarddial.yard.station import Reference, Route, Station

YARDS = 200
# More looks than this are not searched exhaustively, nor more candidates.
SEARCHED_LOOKS, MOST_CANDIDATES = 4, 16


def prove() -> bool:
    """All yards."""
    unended = outside = worse = 0
    more: list[int] = []
    looks_all: list[int] = []
    for seed in range(YARDS):
        chance = np.random.default_rng((77, seed))
        station = _station(chance)
        stated = stated_oscillators(station)
        truth = Oscillators(
            stated.names,
            tuple(float(chance.normal(value, stated.sigma(name)))
                  for name, value in zip(stated.names, stated.values, strict=True)),
            stated.covariance,
        )  # fmt: skip
        measurements, known, left = _walked(station, truth, stated, chance)
        if measurements is None:
            unended += 1
            continue
        looks_all.append(len(measurements))
        for place in wanted_places(station):
            told = [one for one in left if (one.route.name, one.dial_hz) == (place.route.name, place.dial_hz)]
            before = dial_state(place.route, place.dial_hz, truth)
            after = dial_state(_entered(station, measurements, known).resolve(place.route.name), place.dial_hz, truth)
            sigma_hz = dial_state(place.route, place.dial_hz, known).sigma_hz
            outside += not told and abs(after.error_hz) > max(place.tolerance_hz, 4 * sigma_hz)
            worse += abs(after.error_hz) > abs(before.error_hz) + 4 * sigma_hz
        best = _fewest(station, stated, len(measurements))
        if best is not None:
            more.append(len(measurements) - best)
    within_one = float(np.mean([one <= 1 for one in more])) if more else 0.0
    good = unended == outside == worse == 0 and within_one >= 0.95
    print(
        f"{'ok  ' if good else 'MISS'} {YARDS} yards: {unended} did not end, {outside} places outside their tolerance, "
        f"{worse} made worse; {np.mean(looks_all):.1f} looks in the mean, at most {max(looks_all)}; of {len(more)} "
        f"searched exhaustively within one of the fewest in {within_one:.1%}"
    )
    return good


def _station(chance: np.random.Generator) -> Station:
    """Up to four receivers, up to five converters, each in a route of its own; a wire for HF and a discone."""
    wire, discone = Antenna("Wire", 0.1e6, 30e6), Antenna("Discone", 60e6, 1300e6)
    parts: list[object] = [wire, discone]
    routes: list[Route] = []
    receivers = [f"R{i}" for i in range(int(chance.integers(1, 5)))]
    for name in receivers:
        sigma = float(chance.choice((0.5, 2.0, 25.0)))
        low_hz = float(chance.choice((0.01e6, 24e6)))
        parts.append(Receiver(name, low_hz, 1.7e9, 28.8e6, Value(0.0, sigma), 0.0, (2e6,), 2e6, 8, f"made:{name}",
                              ports=(Port("a"),)))  # fmt: skip
        if low_hz < 1e6 and chance.random() < 0.7:
            routes.append(Route(f"wire {name}", ("Wire", name), "a"))
        if chance.random() < 0.6 or low_hz > 1e6:
            routes.append(Route(f"discone {name}", ("Discone", name), "a"))
    for i in range(int(chance.integers(0, 6))):
        lo_hz = float(chance.choice((100e6, 120e6, 125e6, 200e6)))
        parts.append(Converter(f"C{i}", "sum", Value(lo_hz, lo_hz * 1e-5), lo_hz, 0.05e6, 60e6))
        receiver = str(chance.choice(receivers))
        routes.append(Route(f"wire C{i} {receiver}", ("Wire", f"C{i}", receiver), "a"))
    if not routes:
        routes.append(Route(f"discone {receivers[0]}", ("Discone", receivers[0]), "a"))
    kind = kind_named("standard frequency")
    assert kind is not None
    references = [
        Reference(f"Standard {mhz:g}", mhz * 1e6, kind.sigma_hz(mhz * 1e6), kind.name) for mhz in (5.0, 10.0, 15.0)
    ]
    if chance.random() < 0.7:
        references.append(Reference("Pilot", 145.2e6, 0.5, "steady carrier", "cw"))
    return Station("Random", tuple(parts), tuple(routes), tuple(references), route=routes[0].name)  # type: ignore[arg-type]


def _walked(
    station: Station, truth: Oscillators, stated: Oscillators, chance: np.random.Generator
) -> tuple[list[Observation] | None, Oscillators, tuple[WantedPlace, ...]]:
    """Plan, look, fit, plan anew; the looks made, what is then known, and the places that no look makes good."""
    lines, measurements, known = tuple(station.resolved_routes()), [], stated
    errors: dict[str, float] = {}
    for _ in range(40):
        solved = fit(measurements, priors_of(station)) if measurements else None
        known = merge(stated, solved) if solved is not None else stated
        kept = solved.kept if solved is not None else ()
        plan = plan_measurements(lines, usable_references(station), known, wanted_places(station), kept, stated)
        if not plan.measurements:
            return measurements, known, tuple(place for place, _ in plan.unmet)
        reference = plan.measurements[0].reference
        line = station.resolve(plan.measurements[0].route)
        off_hz = errors.setdefault(reference.name, float(chance.normal(0, reference.sigma_hz)))
        error_hz = dial_state(line, reference.frequency_hz, truth).error_hz
        shown_hz = reference.frequency_hz + error_hz + off_hz + chance.normal(0, MEASURED_HZ)
        measurements.append(observed(line, reference, float(shown_hz), MEASURED_HZ, "2026-11-27T12:00:00Z"))
    return None, known, ()


def _entered(station: Station, measurements: list[Observation], known: Oscillators) -> Station:
    """With all of it entered."""
    if not measurements:
        return station
    line = station.resolve(measurements[-1].route)
    state = dial_state(line, measurements[-1].reference_hz, known)
    return propose(station, line, fit(measurements, priors_of(station)), known, state).station


def _fewest(station: Station, stated: Oscillators, walked: int) -> int | None:
    """The fewest looks that bring all wanted places where the walk brought them, by trying all; None where too many."""
    lines, wanted = tuple(station.resolved_routes()), wanted_places(station)
    able = [(line, r) for line in lines for r in station.references if not line.why_not(r.frequency_hz)]
    if walked > SEARCHED_LOOKS or len(able) > MOST_CANDIDATES:
        return None
    goals = [slopes(place.route, place.dial_hz, stated) for place in wanted]

    def unmet(chosen: tuple[int, ...]) -> int:
        measurements = [observed(able[i][0], able[i][1], able[i][1].frequency_hz, MEASURED_HZ) for i in chosen]
        known = covariance_after(measurements, stated) if measurements else np.array(stated.covariance)
        return sum(
            WITHIN_SIGMA * float(goal @ known @ goal) ** 0.5 > place.tolerance_hz
            for goal, place in zip(goals, wanted, strict=True)
        )

    all_of_them = unmet(tuple(range(len(able))))
    for size in range(walked + 1):
        if any(unmet(chosen) <= all_of_them for chosen in combinations(range(len(able)), size)):
            return size
    return walked
