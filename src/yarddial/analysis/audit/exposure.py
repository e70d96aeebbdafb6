"""How far people keep from an antenna that transmits: limits for the general public, in its far field.

ICNIRP Guidelines 2020, table 5, whole body, averaged over 30 minutes; a continuous carrier at full power is assumed,
and that the ground adds to it (field 1.6 times). Local rules decide, and may ask for less.
"""

from collections.abc import Iterator
from math import pi, sqrt

from yarddial.analysis.audit.coupling import GAINS_DBI, LIGHT_M_S, LOWEST_HZ
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.frequency import format_bound
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Free space, ohms; what a reflecting ground adds to the field.
FREE_SPACE_OHMS, GROUND_FACTOR = 376.73, 1.6


def field_limit_v_m(frequency_hz: float) -> float:
    """Effective electric field for the general public, V/m: 300 / f^0.7 to 30 MHz (f in MHz), 27.7 to 400 MHz, then
    1.375 sqrt f to 2 GHz; above, that of 10 W/m2."""
    mhz = frequency_hz / 1e6
    if mhz < 30:
        return float(300 / max(mhz, 0.1) ** 0.7)
    if mhz <= 400:
        return 27.7
    if mhz <= 2000:
        return 1.375 * sqrt(mhz)
    return sqrt(10 * FREE_SPACE_OHMS)


def keep_away_m(power_w: float, gain_dbi: float, frequency_hz: float) -> float:
    """Where the field falls to its limit: E = sqrt(30 P G) / d, times what the ground adds."""
    field_at_1_m = sqrt(30 * power_w * 10 ** (gain_dbi / 10)) * GROUND_FACTOR
    return field_at_1_m / field_limit_v_m(frequency_hz)


def exposure(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Every antenna that a transmitter feeds, once: the largest distance over what both reach."""
    for route in routes:
        rig, antenna = route.transceiver, route.antenna
        if rig is None or not rig.transmit_w > 0 or antenna.kind == "dummy load":
            continue
        low_hz, high_hz = max(rig.low_hz, antenna.low_hz), min(rig.high_hz, antenna.high_hz)
        if low_hz >= high_hz:
            continue
        gain_dbi = GAINS_DBI.get(antenna.kind, 2.2)
        places_hz = [f for f in (low_hz, 30e6, 400e6, high_hz) if low_hz <= f <= high_hz]
        worst_hz = max(places_hz, key=lambda f: keep_away_m(rig.transmit_w, gain_dbi, f))
        away_m = keep_away_m(rig.transmit_w, gain_dbi, worst_hz)
        near_m = LIGHT_M_S / max(low_hz, LOWEST_HZ) / (2 * pi)
        near = f"; within {near_m:.0f} m the field of its lowest band is higher than that tells" if near_m > 2 else ""
        yield BenchFinding(
            f"care:exposure:{rig.name}:{antenna.name}",
            "look",
            f"Field while {rig.name} transmits {rig.transmit_w:g} W: nobody within {away_m:.1f} m of {antenna.name}",
            f"reckoned at {format_bound(worst_hz)} for a carrier that stays on (ICNIRP 2020, general public){near}; "
            "touch no wire of it; local rules decide",
            antenna.name,
            True,
        )
