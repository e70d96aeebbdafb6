"""Check for antennas far too small for the dial frequency.

Source: radiation resistance and reactance of short monopoles, Balanis, Antenna Theory, 4.3 and 4.7; below a twentieth
of a wavelength the mismatch costs tens of decibels.
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.antenna_gain import handed_over_db, is_active
from yarddial.yard.antenna_lengths import LIGHT_M_PER_S, antenna_lengths, metres
from yarddial.yard.frequency import format_frequency
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# A whip shorter than this share of a wavelength delivers almost no signal.
SHORT_WHIP_WAVELENGTHS = 1 / 20
HF_TOP_HZ = 30e6


def antennas(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Check the whip on the active route at the dial frequency."""
    for route in routes:
        antenna, dial_hz = route.antenna, station.dial_hz
        if route.name != station.route or antenna.kind != "whip" or is_active(antenna) or not 0 < dial_hz < HF_TOP_HZ:
            continue
        share = antenna.length_m * dial_hz / LIGHT_M_PER_S
        if not 0 < share < SHORT_WHIP_WAVELENGTHS:
            continue
        needed = antenna_lengths(dial_hz)
        what = (
            f"{antenna.name}, {metres(antenna.length_m)}, is 1/{1 / share:.0f} of a wavelength at "
            f"{format_frequency(dial_hz, 0)}"
        )
        lost_db = -handed_over_db(antenna, dial_hz).value
        why = f"some {lost_db:.0f} dB are lost: use a wire of some 10 m, or a whip of {metres(needed.whip_m)}"
        yield BenchFinding(f"antenna:{antenna.name}", "look", what, why, antenna.name)
