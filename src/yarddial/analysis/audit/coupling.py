"""Coupling between two antennas of one yard: the share of transmitted power that the other one receives."""

from math import log10, pi

import msgspec

from yarddial.yard.parts import Antenna, Transceiver
from yarddial.yard.parts.electrical import worst_db

LIGHT_M_S = 299_792_458.0
# Lowest transmitting band: it has the longest wavelength, so it is the worst case.
LOWEST_HZ = 1.8e6
# Lower bound on the loss between antennas in each other's near field; parallel wires measure 10 to 30 dB.
NEAR_LOSS_DB = 10.0
# Distance to assume where none is stated.
YARD_M = 10.0
# Largest usual directivity by kind, dBi: a long wire of several wavelengths, a long array, a dish of two metres at 10
# GHz.
DIRECTIVITIES_DBI = {
    "wire": 6.0, "whip": 2.2, "dipole": 2.2, "discone": 2.2, "loop": 1.8, "beam": 18.0, "dish": 45.0, "dummy load": 0.0,
}  # fmt: skip
# An antenna of no stated kind may be anything, so assume a long array.
UNKNOWN_DBI = 18.0
# Usual leakage of a closed dummy load's case and plugs.
DUMMY_LOAD_LEAK_DB = 60.0
UNKNOWN_ANTENNA = Antenna("an antenna that the yard does not show", 0.0, 1e12)


class Coupling(msgspec.Struct, frozen=True):
    """Worst-case loss from one antenna's socket to the other's, and its origin.

    is_known : measured, or calculated from a stated distance. assumes : assumptions made, one sentence each.
    """

    loss_db: float
    words: str
    is_known: bool
    assumes: tuple[str, ...] = ()


def directivity_dbi(antenna: Antenna) -> tuple[float, str]:
    """Return an antenna's directivity in dBi (stated, else the largest usual of its kind) and the assumption made."""
    if antenna.directivity_dbi is not None:
        return antenna.directivity_dbi.value, ""
    if antenna.kind:
        gain_dbi = DIRECTIVITIES_DBI[antenna.kind]
        return gain_dbi, f"{antenna.name}: up to {gain_dbi:g} dBi, as a {antenna.kind} may have"
    return UNKNOWN_DBI, f"{antenna.name}: up to {UNKNOWN_DBI:g} dBi, as its kind is not stated"


def coupling_of(rig: Transceiver, sends: Antenna, hears: Antenna) -> Coupling | None:
    """Return the coupling: a measurement if there is one, else free space (ITU-R P.525) with a bound for the near
    field.

    A dummy load receives nothing and leaks only through its case. A dish's feed is a waveguide far below cut-off on
    short wave and radiates nothing there.
    """
    if hears.kind == "dummy load" or (hears.kind == "dish" and rig.high_hz < 1e9):
        return None
    if sends.kind == "dummy load":
        words = f"{sends.name} lets little out: {DUMMY_LOAD_LEAK_DB:.0f} dB assumed"
        return Coupling(DUMMY_LOAD_LEAK_DB, words, True, (words,))
    if hears.coupling_db is not None:
        loss_db = worst_db(hears.coupling_db)
        return Coupling(loss_db, f"{loss_db:.0f} dB between the two, measured", True)
    is_known = hears.apart_m > 0
    apart_m = hears.apart_m if is_known else YARD_M
    frequency_hz = max(rig.low_hz, LOWEST_HZ)
    gains = [directivity_dbi(antenna) for antenna in (sends, hears)]
    space_db = 20 * log10(4 * pi * apart_m * frequency_hz / LIGHT_M_S)
    loss_db = max(space_db - sum(gain_dbi for gain_dbi, _ in gains), NEAR_LOSS_DB)
    distance = f"{apart_m:g} m" if is_known else f"distance not stated, {apart_m:g} m assumed"
    assumes = tuple(assumed for _, assumed in gains if assumed) + (() if is_known else (distance,))
    return Coupling(loss_db, f"{distance}, {loss_db:.0f} dB at least", is_known, assumes)
