"""What is known of every oscillator of a yard, and what that means for the dial.

Crystals, sample clocks and transceivers' references are kept in ppm (positive: runs fast), converters' oscillators in
hertz above their nominal. The covariance matters: after one measurement through a converter neither number is known
well, yet their sum is.
"""

from collections.abc import Callable
from math import floor, log10, sqrt

import msgspec

from yarddial.yard.frequency import MINUS, format_frequency, format_hertz, format_number, format_sigma
from yarddial.yard.frequency_conversion import SamplingClock, Stage, Trace, trace_back
from yarddial.yard.parts import Converter, Receiver, Transceiver, Value, converters_of
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station
from yarddial.yard.working import WorkedValue, Working

# Smaller uncertainties would need more digits than a dial shows.
FINE_PPM = 0.001
NOUNS = {"crystal": "crystal", "clock": "sample clock", "lo": "oscillator", "rig": "reference"}


def crystal_of(receiver_name: str) -> str:
    """Key of a receiver's crystal."""
    return f"crystal:{receiver_name}"


def clock_of(receiver_name: str) -> str:
    """Key of a receiver's separate sample clock."""
    return f"clock:{receiver_name}"


def lo_of(converter_name: str) -> str:
    """Key of a converter's oscillator."""
    return f"lo:{converter_name}"


def rig_of(converter_name: str) -> str:
    """Key of a transceiver's reference, which sets all its oscillators."""
    return f"rig:{converter_name}"


def oscillator_of(converter: Converter) -> str:
    """Key of whatever sets a converter's oscillator."""
    return rig_of(converter.name) if converter.follows_dial else lo_of(converter.name)


def is_in_ppm(name: str) -> bool:
    """Return True for oscillators counted in ppm; converters' are counted in hertz."""
    return not name.startswith("lo:")


class Oscillators(msgspec.Struct, frozen=True):
    """Names, values (ppm, or hertz above nominal for converters) and covariance of all oscillators."""

    names: tuple[str, ...]
    values: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]

    def value(self, name: str) -> float:
        """Best value of one oscillator."""
        return self.values[self.names.index(name)]

    def sigma(self, name: str) -> float:
        """One-sigma uncertainty of one oscillator, in its own unit."""
        i = self.names.index(name)
        return sqrt(max(self.covariance[i][i], 0.0))

    def sigma_of_sum(self, weights: dict[str, float]) -> float:
        """One-sigma uncertainty of a weighted sum of oscillators."""
        index = [(self.names.index(name), weight) for name, weight in weights.items()]
        variance = sum(wi * wj * self.covariance[i][j] for i, wi in index for j, wj in index)
        return sqrt(max(variance, 0.0))


class DialState(msgspec.Struct, frozen=True):
    """Dial error at one frequency over one route.

    trace : the signal behind the dial reading, followed along the path.
    sigma_hz : one-sigma uncertainty of `trace.dial_error_hz`.
    budget_hz : (oscillator, its part of the uncertainty in hertz); parts may cancel in the sum.
    slopes : (oscillator, dial hertz per unit of the oscillator).
    """

    route: str
    trace: Trace
    sigma_hz: float
    budget_hz: tuple[tuple[str, float], ...]
    slopes: tuple[tuple[str, float], ...] = ()

    @property
    def error_hz(self) -> float:
        """Dial error, dial minus true, hertz."""
        return self.trace.dial_error_hz

    def working(self) -> Working:
        """Formula and values behind the error and its uncertainty."""
        base = self.trace.working()
        parts = tuple(
            WorkedValue(
                f"σ{i}", f"uncertainty that {spoken(name)} brings alone", format_sigma(part), "propagated, first order"
            )
            for i, (name, part) in enumerate(self.budget_hz, 1)
        )
        return msgspec.structs.replace(
            base,
            title=f"The dial at {format_frequency(self.trace.dial_hz)} over {self.route}",
            formulas=(*base.formulas, "σ² = gᵀ C g, g the dial's slope for each oscillator, C their covariance"),
            values=base.values + parts,
            result=f"error = {format_hertz(self.error_hz, self.sigma_hz)} {format_sigma(self.sigma_hz)}",
        )


def stated_oscillators(station: Station) -> Oscillators:
    """Oscillators from the data sheets, before any fit; independent of each other."""
    return _collect(station, lambda value: value.unmeasured())


def known_oscillators(station: Station) -> Oscillators:
    """Oscillators as the parts have them now, measurements included; parts keep no correlations."""
    return _collect(station, lambda value: value)


def _collect(station: Station, choose: Callable[[Value], Value]) -> Oscillators:
    entries: list[tuple[str, float, float]] = []
    for part in station.parts:
        if isinstance(part, Receiver):
            crystal = choose(part.crystal_ppm)
            entries.append((crystal_of(part.name), crystal.value, crystal.sigma))
            if part.clock_ppm is not None:
                clock = choose(part.clock_ppm)
                entries.append((clock_of(part.name), clock.value, clock.sigma))
        for converter in converters_of(part):
            if isinstance(part, Transceiver):
                rig = choose(part.rig_ppm)
                entries.append((rig_of(converter.name), rig.value, rig.sigma))
                continue
            oscillator = choose(converter.lo_hz)
            entries.append((lo_of(converter.name), oscillator.value - converter.nominal_lo_hz, oscillator.sigma))
    size = range(len(entries))
    covariance = tuple(tuple(entries[i][2] ** 2 if i == j else 0.0 for j in size) for i in size)
    return Oscillators(tuple(f[0] for f in entries), tuple(f[1] for f in entries), covariance)


def dial_state(route: ResolvedRoute, dial_hz: float, oscillators: Oscillators) -> DialState:
    """Calculate the dial error and its uncertainty at one reading over one route."""
    if route.missing:
        # An unfinished route has no error to state.
        return DialState(route.name, trace_back(dial_hz), float("inf"), ())
    route = route.at(dial_hz)
    converters = route.converters
    scales = [1e-6 * c.nominal_lo_hz if c.follows_dial else 1.0 for c in converters]
    stages = tuple(
        Stage(
            c.kind,
            c.entered_lo_hz,
            c.nominal_lo_hz - c.entered_lo_hz + scale * oscillators.value(oscillator_of(c)),
            c.name,
        )
        for c, scale in zip(converters, scales, strict=True)
    )
    crystals = crystal_shares(route, dial_hz)
    true_ppm = sum(share * oscillators.value(name) for name, share in crystals)
    traced = trace_back(dial_hz, stages, SamplingClock(true_ppm, route.receiver.entered_ppm))
    weights = {name: share * traced.per_ppm_hz for name, share in crystals}
    for converter, weight, scale in zip(converters, traced.per_lo_hz, scales, strict=True):
        weights[oscillator_of(converter)] = scale * weight
    budget = tuple((name, abs(weight) * oscillators.sigma(name)) for name, weight in weights.items())
    return DialState(route.name, traced, oscillators.sigma_of_sum(weights), budget, tuple(weights.items()))


def crystal_shares(route: ResolvedRoute, dial_hz: float) -> tuple[tuple[str, float], ...]:
    """Shares of the receiver's crystal and its sample clock in the shown frequency; they sum to 1.

    A signal shown at r with the centre at f_c arrived at f_c (1 + p) + (r - f_c) (1 + c). The shares are
    therefore f_c / r and (r - f_c) / r.
    """
    receiver = route.receiver
    if receiver.clock_ppm is None:
        return ((crystal_of(receiver.name), 1.0),)
    shown_hz = route.counted_hz(dial_hz)
    share = route.parked_hz(shown_hz, receiver.park_hz) / shown_hz if shown_hz else 1.0
    return ((crystal_of(receiver.name), share), (clock_of(receiver.name), 1 - share))


def spoken(name: str) -> str:
    """Oscillator name as people say it."""
    kind, _, part = name.partition(":")
    if kind == "rig":
        return f"{part.removesuffix(' IF')}'s reference"
    return f"{part}'s {NOUNS[kind]}"


def value_text(name: str, value: float, sigma: float) -> str:
    """Oscillator error as text: ppm, or hertz above nominal for a converter."""
    if is_in_ppm(name) and 0 < sigma < FINE_PPM:
        places = min(2 - floor(log10(sigma)), 7)
        return f"{value:+.{places}f} ± {sigma:.{places}f} ppm".replace("-", MINUS)
    if is_in_ppm(name):
        return f"{format_number(value, sigma, signed=True)} ± {format_number(sigma, sigma / 3)} ppm"
    return f"{format_hertz(value, sigma)} {format_sigma(sigma)}"
