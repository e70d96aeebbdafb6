"""Check of oscillators in or beside a strong broadcast band, whose stations can pass a converter unconverted.

Sources: ITU Radio Regulations, article 5 (bands of broadcasting); a mixer passes its input at its isolation, 20 to
40 dB down (makers' data sheets of diode mixers).
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.bands import Band
from yarddial.yard.frequency import format_frequency
from yarddial.yard.parts import Converter, TwoPort
from yarddial.yard.parts.spans import span_text
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Broadcast bands that are strong near towns (radio regulations; check local rules).
STRONG_BANDS = (
    Band("FM broadcasting", 87.5e6, 108e6, "broadcast"),
    Band("digital radio", 174e6, 230e6, "broadcast"),
    Band("digital television", 470e6, 694e6, "broadcast"),
)
BESIDE_HZ = 2e6
# Aeronautical mobile service (ITU Radio Regulations, article 5): no oscillator may be heard there.
AIRBAND_HZ = (117.975e6, 137e6)


def oscillators(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check every single-oscillator converter against every strong band."""
    for route in routes:
        for part in route.inner:
            if not isinstance(part, Converter):
                continue
            yield from _in_airband(route, part)
            for band in STRONG_BANDS:
                yield from _against(route, part, band)


def _in_airband(route: ResolvedRoute, part: Converter) -> Iterator[BenchFinding]:
    """An oscillator in the airband leaves by the antenna unless a filter before the converter stops it."""
    lo_hz = part.entered_lo_hz
    if not AIRBAND_HZ[0] <= lo_hz <= AIRBAND_HZ[1] or _is_stopped(route, part, lo_hz, lo_hz):
        return
    yield BenchFinding(
        f"oscillator:{part.name}:airband", "look",
        # Its marking: a measured offset changes nothing for a neighbour.
        f"{part.name}'s oscillator, {format_frequency(round(lo_hz, -4))}, lies in the airband and leaves by "
        f"{route.antenna.name}",
        "a neighbour's receiver can hear it: a low-pass before it, a closed metal case, and off when nobody "
        "listens; it must disturb nobody, and local rules decide", part.name,
    )  # fmt: skip


def _is_stopped(route: ResolvedRoute, part: Converter, low_hz: float, high_hz: float) -> bool:
    """Return True when a part before the converter passes neither the ends nor the middle of a span."""
    before = route.inner[: route.inner.index(part)]
    # Just inside the ends: a filter made for a band ends where the band does.
    inside = (0.99 * low_hz + 0.01 * high_hz, (low_hz + high_hz) / 2, 0.01 * low_hz + 0.99 * high_hz)
    return any(isinstance(stop, TwoPort) and all(stop.why_not(hertz) for hertz in inside) for stop in before)


def _against(route: ResolvedRoute, part: Converter, band: Band) -> Iterator[BenchFinding]:
    lo_hz = part.entered_lo_hz
    inside = band.low_hz <= lo_hz <= band.high_hz
    beside = band.low_hz - BESIDE_HZ <= lo_hz <= band.high_hz + BESIDE_HZ
    # An unconverted station at f is read as f - L for a sum converter, as f + L or L - f for the others.
    edges = sorted(part.stage().sense * (edge - part.stage().offset_hz) for edge in (band.low_hz, band.high_hz))
    low_hz = max(edges[0], route.antenna.low_hz, part.input_low_hz, 0.0)
    high_hz = min(edges[1], route.antenna.high_hz, part.input_high_hz)
    shows = low_hz < high_hz and bool(route.reach((low_hz + high_hz) / 2).is_reached)
    # Stations that a notch takes out cannot leak through.
    if not (inside or beside or shows) or _is_stopped(route, part, band.low_hz, band.high_hz):
        return
    where = "inside" if inside else "beside" if beside else "so that it folds in"
    span = span_text(band.low_hz, band.high_hz)
    what = f"{part.name}'s oscillator, {format_frequency(lo_hz)}, lies {where} {band.name} ({span})"
    if not (inside or beside):
        what = f"{band.name} ({span}) passes {part.name} unconverted"
    seen = (
        f"its stations show at {span_text(low_hz, high_hz)} on the dial" if shows else "its oscillator is hard to see"
    )
    isolation = f", {part.isolation_db.value:g} dB down" if part.isolation_db is not None and shows else ""
    yield BenchFinding(
        f"oscillator:{part.name}:{band.name}", "look", what,
        f"{seen}{isolation}; a notch for {band.name} before it, or another oscillator, mends that", part.name,
    )  # fmt: skip
