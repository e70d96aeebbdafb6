"""List of all oscillators: value, uncertainty, whether entered, and the next step for each."""

from collections.abc import Sequence
from typing import Literal

import msgspec

from yarddial.analysis.correction.measurement_plan import (
    MeasurementPlan,
    PlannedMeasurement,
    WantedPlace,
    plan_measurements,
)
from yarddial.yard.frequency import format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.mark import Mark
from yarddial.yard.modes import mode_named
from yarddial.yard.observation import Observation
from yarddial.yard.oscillators import Oscillators, dial_state, is_in_ppm, oscillator_of, spoken
from yarddial.yard.parts import Converter, Part, Receiver, Transceiver, converters_of
from yarddial.yard.references import why_no_reference
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.shelf import kind_of
from yarddial.yard.station import Reference, Station

Entered = Literal["yes", "not yet", "not needed", "cannot be", "as stated"]
# Errors closer than this many sigmas count as the same.
MENU_SIGMAS = 4.0
# Frequency at which transceiver menus state their offset, as makers do.
MENU_HZ = 10e6
# A transceiver's error within half its uncertainty needs no setting.
ENTERED_SHARE = 0.5


class OscillatorRow(msgspec.Struct, frozen=True):
    """One oscillator for a person, alike in every place that shows it; `name` as everywhere.

    entered : "yes" where the value known is entered; "not needed" where what is stated serves as well; "as stated"
    before any measurement.
    own_menu : the transceiver in whose menu the person sets it, while that is the next step.
    """

    name: str
    title: str
    about: str
    value: str
    known_to: str
    entered: Entered
    next_step: str
    mark: Mark
    own_menu: str = ""


class RouteEffect(msgspec.Struct, frozen=True):
    """Effect of entering on a route at its most demanding frequency: the dial's error before and after, in words."""

    route: str
    effect: str
    change: str


class PlanRequest(msgspec.Struct, frozen=True):
    """Inputs of a plan of measurements. left_out : (station, route) pairs to skip."""

    station: Station
    oscillators: Oscillators
    before: Oscillators
    made: tuple[Observation, ...]
    left_out: frozenset[tuple[str, str]]

    def solve(self) -> MeasurementPlan:
        """Compute the plan of measurements."""
        routes = tuple(route for route in self.station.resolved_routes() if route.receiver.device and not route.missing)
        return plan_measurements(
            routes, usable_references(self.station), self.oscillators, wanted_places(self.station), self.made,
            self.before, self.left_out,
        )  # fmt: skip


def usable_references(station: Station) -> tuple[Reference, ...]:
    """Known stations whose carrier can be measured."""
    return tuple(
        r for r in station.references if r.mode in ("am", "cw") and not why_no_reference(r.kind, r.frequency_hz)
    )


def wanted_places(station: Station) -> tuple[WantedPlace, ...]:
    """For each route and each of its modes the highest band that it reaches, which is the most demanding."""
    places: list[WantedPlace] = []
    for route in station.resolved_routes():
        if route.missing or not route.receiver.device:
            continue
        highest: dict[float, float] = {}
        for band in station.bands:
            middle_hz = (band.low_hz + band.high_hz) / 2
            tolerance_hz = mode_named(band.mode_key).tolerance_hz
            if middle_hz > highest.get(tolerance_hz, 0.0) and route.reach(middle_hz).state == "reached":
                highest[tolerance_hz] = middle_hz
        places += [WantedPlace(route, hertz, tolerance_hz) for tolerance_hz, hertz in sorted(highest.items())]
    return tuple(places)


class KnownState(msgspec.Struct, frozen=True):
    """What is known of the oscillators, for their rows.

    touched : those with measurements. together : groups of which only the sum is known.
    pending : those for which a value is proposed and not entered.
    """

    oscillators: Oscillators
    touched: frozenset[str]
    together: tuple[tuple[str, ...], ...] = ()
    pending: frozenset[str] = frozenset()


def oscillator_rows(
    station: Station, known: KnownState, plan: MeasurementPlan | None, *, every: bool = False
) -> tuple[OscillatorRow, ...]:
    """A row for each oscillator that some route to a receiver needs, or for every one."""
    names = known.oscillators.names
    if not every:
        needed = {name for place in wanted_places(station) for name, _ in _slopes(place, known.oscillators)}
        names = tuple(name for name in names if name in needed)
    planned = _planned_of(plan, station, known.oscillators)
    return tuple(_row(station, name, known, planned.get(name)) for name in names)


def _row(station: Station, name: str, known: KnownState, planned: PlannedMeasurement | None) -> OscillatorRow:
    part, oscillators, is_touched = _owner(station, name), known.oscillators, name in known.touched
    value, sigma = oscillators.value(name), oscillators.sigma(name)
    if is_in_ppm(name):
        text = f"{format_number(value, sigma, signed=True)} ppm"
        known_to = f"± {format_number(sigma, sigma / 3)} ppm"
    else:
        text, known_to = format_hertz(value, sigma), f"± {format_sigma(sigma)[1:]}"
    entered = entered_of(part, name, value, sigma, is_pending=name in known.pending) if is_touched else "as stated"
    others = next((tuple(other for other in group if other != name) for group in known.together if name in group), ())
    return OscillatorRow(
        name,
        f"{part.name} {_noun(name)}",
        _about(part, name),
        ("in a sum" if others else text) if is_touched else "not measured",
        known_to,
        entered,
        _next_step(part, (value, sigma), entered, is_touched, planned, others),
        "unknown" if not is_touched else "good" if entered in ("yes", "not needed") and planned is None else "look",
        part.name
        if isinstance(part, Transceiver) and is_touched and entered == "cannot be" and planned is None
        else "",
    )


def _next_step(
    part: Part,
    known: tuple[float, float],
    entered: Entered,
    is_touched: bool,
    planned: PlannedMeasurement | None,
    others: Sequence[str],
) -> str:
    """What to do next. known : value and uncertainty of the oscillator, in its own unit."""
    said_of_menu = _said_of_menu(part, known) if isinstance(part, Transceiver) and is_touched else ""
    if planned is not None and not said_of_menu:
        return (
            f"measure {planned.reference.name} {format_frequency(planned.reference.frequency_hz)} over {planned.route}"
        )
    if not is_touched:
        return "no known station tells it: add one"
    if isinstance(part, Transceiver):
        return (
            f"its own menu{_said_of_menu(part, known)}: set {format_hertz(-known[0] * 1e-6 * MENU_HZ, 0.1)} at 10 MHz"
        )
    if entered in ("yes", "not needed"):
        sum_words = f"; the sum with {' and '.join(spoken(other) for other in others)} is entered" if others else ""
        return f"nothing{sum_words}"
    if others:
        return f"enter it together with {' and '.join(spoken(oscillator) for oscillator in others)}: the sum is known"
    return "enter it"


def _said_of_menu(part: Transceiver, known: tuple[float, float]) -> str:
    """What a measurement says of a menu that the person has set: nothing changed, or it went the other way."""
    value, sigma = known
    before = part.menu_before_ppm
    if before is None or abs(before) < MENU_SIGMAS * sigma:
        return ""
    if abs(value - before) < MENU_SIGMAS * sigma:
        return " is as it was before you set it"
    return " went the other way" if abs(value - 2 * before) < MENU_SIGMAS * sigma else ""


def entered_of(part: Part, name: str, value: float, sigma: float, *, is_pending: bool) -> Entered:
    """State whether the known value is entered. is_pending : another value is proposed, which decides."""
    if isinstance(part, Transceiver):
        return "not needed" if abs(value) <= ENTERED_SHARE * sigma else "cannot be"
    if name.startswith("clock:"):
        # A receiver takes one correction only: its tuner's.
        return "cannot be"
    if is_pending:
        return "not yet"
    if isinstance(part, Receiver):
        return "yes" if part.entered_ppm else "not needed"
    converter = next(c for c in converters_of(part) if oscillator_of(c) == name)
    return "yes" if converter.entered_lo_hz != converter.nominal_lo_hz else "not needed"


def route_effects(station: Station, corrected: Station, oscillators: Oscillators) -> tuple[RouteEffect, ...]:
    """Effect of entering on each route, at its most demanding frequency."""
    effects: list[RouteEffect] = []
    routes = {route.name: route for route in corrected.resolved_routes()}
    seen: set[str] = set()
    for place in wanted_places(station):
        if place.route.name in seen or place.route.name not in routes:
            continue
        seen.add(place.route.name)
        before = dial_state(place.route, place.dial_hz, oscillators)
        after = dial_state(routes[place.route.name], place.dial_hz, oscillators)
        was, is_now = format_hertz(before.error_hz, before.sigma_hz), format_hertz(after.error_hz, after.sigma_hz)
        uncertainty = format_sigma(after.sigma_hz)
        moved_hz = abs(before.error_hz) - abs(after.error_hz)
        effect = "unchanged" if abs(moved_hz) <= 0.1 * after.sigma_hz else "better" if moved_hz > 0 else "worse"
        change = f"{is_now} {uncertainty}" if effect == "unchanged" else f"{was} → {is_now} {uncertainty}"
        effects.append(RouteEffect(place.route.name, effect, change))
    return tuple(effects)


def _planned_of(
    plan: MeasurementPlan | None, station: Station, oscillators: Oscillators
) -> dict[str, PlannedMeasurement]:
    """First planned measurement that helps to determine each oscillator, by its name."""
    routes: dict[str, ResolvedRoute] = {route.name: route for route in station.resolved_routes()}
    first: dict[str, PlannedMeasurement] = {}
    for planned in plan.measurements if plan is not None else ():
        if (route := routes.get(planned.route)) is not None:
            for name, _ in dial_state(route, planned.reference.frequency_hz, oscillators).slopes:
                first.setdefault(name, planned)
    return first


def _slopes(place: WantedPlace, oscillators: Oscillators) -> tuple[tuple[str, float], ...]:
    return dial_state(place.route, place.dial_hz, oscillators).slopes


def _owner(station: Station, name: str) -> Part:
    kind, _, part_name = name.partition(":")
    for part in station.parts:
        if kind in ("crystal", "clock") and part.name == part_name:
            return part
        if any(oscillator_of(c) == name for c in converters_of(part)):
            return part
    raise LookupError(name)


def _noun(name: str) -> str:
    kinds = {"crystal": "crystal", "clock": "sampling clock", "rig": "reference"}
    return kinds.get(name.partition(":")[0], "oscillator")


def _about(part: Part, name: str) -> str:
    """Description and marking of an oscillator."""
    if isinstance(part, Receiver):
        return f"receiver, {part.crystal_hz / 1e6:g} MHz" if name.startswith("crystal:") else "receiver"
    if isinstance(part, Transceiver):
        return "transceiver"
    converter = next(c for c in converters_of(part) if oscillator_of(c) == name)
    kind = kind_of(part) if isinstance(part, Converter) else "LNB"
    return f"{kind}, {converter.nominal_lo_hz / 1e6:g} MHz"
