"""Safe distance from a transmitting antenna, for the general public and for trained people at work.

ICNIRP Guidelines 2020, table 5: whole body, averaged over 30 minutes. Below 10 MHz also ICNIRP Guidelines 2010, tables
3 and 4, against the stimulation of nerves: at every instant, and kept by the text of 2020. A continuous carrier at full
power is assumed where no duty is stated, and that the ground adds to the field (1.6 times). Local rules decide, and may
ask for less.

Near a conductor the far field's formula is not used. A straight wire's field at any distance follows from the current
along it, which is sinusoidal (Balanis, Antenna Theory, section 8.5; section 4.5 for its resistance); without a length
stated, a half-wave's is nowhere more than sqrt(2) times the far field's formula. A loop is taken as a small one that
radiates all of its power, by the r^-3 and r^-2 terms of a magnetic dipole (the same, section 5.2).
"""

from collections.abc import Iterator
from functools import lru_cache
from math import cos, pi, sin, sqrt

import msgspec
import numpy as np

from yarddial.analysis.audit.coupling import LIGHT_M_S, LOWEST_HZ, directivity_dbi
from yarddial.analysis.audit.finding import BenchFinding
from yarddial.analysis.audit.power_paths import transmit_lines, transmitters
from yarddial.yard.frequency import format_bound
from yarddial.yard.parts import Antenna, Transceiver
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Impedance of free space, ohms; field increase by a reflecting ground.
FREE_SPACE_OHMS, GROUND_FACTOR = 376.73, 1.6
# Limits against nerve stimulation apply up to this frequency.
NERVES_HZ = 10e6
STRAIGHT_KINDS = ("wire", "whip", "dipole")
# Search range for a distance, metres, and points along half a wire at which its field is calculated.
NEAREST_M, FURTHEST_M, WIRE_POINTS = 0.05, 2_000.0, 9
# Directions around the wire's end in which the fields are tried too, from its axis.
BEYOND_RAD = np.array([0.05, 0.2, 0.4, 0.7, 1.0, 1.3])


class Limits(msgspec.Struct, frozen=True):
    """Limits for one group of people: ICNIRP 2020 table 5 as factors of the frequency in MHz, and 2010 below 10 MHz.

    electric_30, magnetic_30 : V/m MHz^0.7 and A/m MHz, to 30 MHz. electric, magnetic : from 30 to 400 MHz.
    electric_root : V/m per root of MHz, to 2 GHz. density : W/m2 above. nerves_v_m, nerves_a_m : ICNIRP 2010.
    """

    electric_30: float
    magnetic_30: float
    electric: float
    magnetic: float
    electric_root: float
    density: float
    nerves_v_m: float
    nerves_a_m: float

    def electric_v_m(self, frequency_hz: float) -> float:
        """Limit of the electric field against heating, V/m rms, averaged over 30 minutes."""
        mhz = frequency_hz / 1e6
        if mhz <= 30:
            return float(self.electric_30 / max(mhz, 0.1) ** 0.7)
        if mhz <= 400:
            return self.electric
        return self.electric_root * sqrt(mhz) if mhz <= 2000 else sqrt(self.density * FREE_SPACE_OHMS)

    def magnetic_a_m(self, frequency_hz: float) -> float:
        """Limit of the magnetic field against heating, A/m rms, averaged over 30 minutes."""
        mhz = frequency_hz / 1e6
        if mhz <= 30:
            return self.magnetic_30 / max(mhz, 0.1)
        return self.magnetic if mhz <= 400 else self.electric_v_m(frequency_hz) / FREE_SPACE_OHMS


PUBLIC = Limits(300.0, 2.2, 27.7, 0.073, 1.375, 10.0, 83.0, 21.0)
OCCUPATIONAL = Limits(660.0, 4.9, 61.0, 0.16, 3.0, 50.0, 170.0, 80.0)


def keep_away_m(power_w: float, gain_dbi: float, limit_v_m: float) -> float:
    """Distance at which the far field falls to its limit: E = sqrt(30 P G) / d, times the ground factor."""
    return sqrt(30 * power_w * 10 ** (gain_dbi / 10)) * GROUND_FACTOR / limit_v_m


def distance_m(
    antenna: Antenna, power_w: float, frequency_hz: float, limits: Limits = PUBLIC, *, duty_share: float = 1.0
) -> float:
    """Distance from the nearest point of an antenna beyond which no limit is exceeded, in far and near field.

    duty_share : largest share of any 30 minutes with full power. It lowers what heats; nerves follow every instant.
    """
    heating = (limits.electric_v_m(frequency_hz), limits.magnetic_a_m(frequency_hz))
    away_m = _away_m(antenna, power_w * duty_share, frequency_hz, *heating)
    if frequency_hz <= NERVES_HZ:
        away_m = max(away_m, _away_m(antenna, power_w, frequency_hz, limits.nerves_v_m, limits.nerves_a_m))
    return away_m


def _away_m(antenna: Antenna, power_w: float, frequency_hz: float, limit_v_m: float, limit_a_m: float) -> float:
    wave_m = LIGHT_M_S / frequency_hz
    far_m = keep_away_m(power_w, directivity_dbi(antenna)[0], limit_v_m)
    if antenna.kind == "dish":
        return far_m
    if antenna.kind == "loop":
        return max(far_m, _beside_loop_m(power_w, wave_m, limit_v_m, limit_a_m))
    if antenna.kind in STRAIGHT_KINDS and 0 < antenna.length_m < 2 * wave_m:
        return max(
            far_m, _beside_wire_m(antenna.length_m, antenna.kind == "whip", power_w, wave_m, limit_v_m, limit_a_m)
        )
    return far_m * sqrt(2) if far_m < wave_m else far_m


@lru_cache(maxsize=1_000)
def _beside_wire_m(
    length_m: float, is_whip: bool, power_w: float, wave_m: float, limit_v_m: float, limit_a_m: float
) -> float:
    """Distance from a straight wire at which its largest fields fall to their limits.

    A whip counts as half a dipole with the same current: over ground its image adds 1.4 to the field, less than the
    ground factor.
    """
    half_m = length_m if is_whip else length_m / 2
    k = 2 * pi / wave_m
    current_a = GROUND_FACTOR * sqrt(power_w / _resistance_ohms(k * half_m))
    low_m, high_m = NEAREST_M, FURTHEST_M
    while high_m > 1.01 * low_m:
        middle_m = sqrt(low_m * high_m)
        electric, magnetic = _largest_fields(half_m, k, middle_m)
        if current_a * electric > limit_v_m or current_a * magnetic > limit_a_m:
            low_m = middle_m
        else:
            high_m = middle_m
    return high_m


def _resistance_ohms(half_turn: float) -> float:
    """Radiation resistance of a centre-fed wire at its current maximum; half_turn : k times half its length."""
    count = 60
    total = 0.0
    for n in range(1, count):
        angle = pi * n / count
        total += (cos(half_turn * cos(angle)) - cos(half_turn)) ** 2 / sin(angle)
    return 60.0 * total * pi / count


def _largest_fields(half_m: float, k: float, away_m: float) -> tuple[float, float]:
    """Largest fields at a distance from the nearest point of a wire, V/m and A/m for 1 A at the current maximum."""
    across_m = np.concatenate([np.full(WIRE_POINTS, away_m), away_m * np.sin(BEYOND_RAD)])
    along_m = np.concatenate([np.linspace(0.0, half_m, WIRE_POINTS), half_m + away_m * np.cos(BEYOND_RAD)])
    # Rows: from the near end, the far end, and the middle.
    apart_m = np.hypot(across_m, along_m - np.array([[half_m], [-half_m], [0.0]]))
    turns = np.exp(-1j * k * apart_m)
    near, far, middle = turns / apart_m
    middle_share = 2 * cos(k * half_m)
    parallel = near + far - middle_share * middle
    radial = (along_m - half_m) * near + (along_m + half_m) * far - along_m * middle_share * middle
    electric = 30.0 * np.hypot(np.abs(parallel), np.abs(radial) / across_m)
    magnetic = np.abs(turns[0] + turns[1] - middle_share * turns[2]) / (4 * pi * across_m)
    return float(electric.max()), float(magnetic.max())


def _beside_loop_m(power_w: float, wave_m: float, limit_v_m: float, limit_a_m: float) -> float:
    """Distance for a loop: P = eta k^4 m^2 / (12 pi); H = m / (2 pi r^3) on axis, E = eta k m / (4 pi r^2) beside."""
    k = 2 * pi / wave_m
    moment = sqrt(12 * pi * power_w / (FREE_SPACE_OHMS * k**4))
    magnetic_m = (moment * GROUND_FACTOR / (2 * pi * limit_a_m)) ** (1 / 3)
    electric_m = sqrt(FREE_SPACE_OHMS * k * moment * GROUND_FACTOR / (4 * pi * limit_v_m))
    return float(max(magnetic_m, electric_m))


def exposure(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """Report a distance for every antenna that a transmitter feeds, the worst over their common range."""
    for rig in transmitters(station):
        antennas = {line[0].name: line[0] for line in transmit_lines(station, rig) if line}
        for antenna in antennas.values():
            if isinstance(antenna, Antenna) and antenna.kind != "dummy load" and antenna.need is None:
                yield from _beside(rig, antenna)


def _beside(rig: Transceiver, antenna: Antenna) -> Iterator[BenchFinding]:
    low_hz, high_hz = max(rig.low_hz, antenna.low_hz, LOWEST_HZ), min(rig.high_hz, antenna.high_hz)
    if low_hz >= high_hz:
        return
    places_hz = [place_hz for place_hz in (low_hz, NERVES_HZ, 30e6, 400e6, high_hz) if low_hz <= place_hz <= high_hz]
    duty = rig.duty_share

    def away(place_hz: float, limits: Limits = PUBLIC) -> float:
        return distance_m(antenna, rig.transmit_w, place_hz, limits, duty_share=duty)

    worst_hz = max(places_hz, key=away)
    away_m = away(worst_hz)
    trained_m = max(away(place_hz, OCCUPATIONAL) for place_hz in places_hz)
    lasts = "for a carrier that stays on" if duty >= 1 else f"for {100 * duty:.0f} % of 30 minutes at full power"
    _, assumed = directivity_dbi(antenna)
    because = f"; {assumed}: its data sheet would settle that" if assumed else ""
    yield BenchFinding(
        f"care:exposure:{rig.name}:{antenna.name}",
        "look",
        f"Field while {rig.name} transmits {rig.transmit_w:g} W: nobody within {away_m:.1f} m of {antenna.name}",
        f"reckoned at {format_bound(worst_hz)} {lasts} (ICNIRP 2020, below 10 MHz also 2010, "
        f"general public; trained people at work: {trained_m:.1f} m){because}; touch no wire of it; local rules decide",
        antenna.name,
        True,
        distance_m=away_m,
        path=(rig.name, antenna.name),
        assumes=(assumed,) if assumed else (),
    )
