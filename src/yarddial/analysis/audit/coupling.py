"""Coupling between two antennas of one yard: how much of the transmitted power the other receives."""

from math import log10, pi

import msgspec

from yarddial.yard.parts import Antenna, Transceiver

LIGHT_M_S = 299_792_458.0
# The lowest band on which people transmit: nearest by the wavelength, so worst.
LOWEST_HZ = 1.8e6
# Lower bound on the loss between antennas in each other's near field; parallel wires measure 10 to 30 dB.
NEAR_LOSS_DB = 10.0
# Where nobody stated the distance.
YARD_M = 10.0
# Largest usual directivity by kind, dBi: a long wire of some wavelengths, a long array, a dish of two metres at 10 GHz.
DIRECTIVITIES_DBI = {
    "wire": 6.0, "whip": 2.2, "dipole": 2.2, "discone": 2.2, "loop": 1.8, "beam": 18.0, "dish": 45.0, "dummy load": 0.0,
}  # fmt: skip
# Of an antenna of no stated kind anything may be behind the name: a long array.
UNKNOWN_DBI = 18.0
# What a dummy load's case and plugs let out: usual for a closed one.
DUMMY_LOAD_LEAK_DB = 60.0
UNKNOWN_ANTENNA = Antenna("an antenna that the yard does not show", 0.0, 1e12)


class Coupling(msgspec.Struct, frozen=True):
    """Loss from one antenna's socket to the other's at worst, and where that is from.

    is_known : measured, or worked out from a distance that was stated. assumes : what was taken, a sentence each.
    """

    loss_db: float
    words: str
    is_known: bool
    assumes: tuple[str, ...] = ()


def directivity_dbi(antenna: Antenna) -> tuple[float, str]:
    """Directivity of an antenna, dBi, and what was assumed for it: stated, else the largest usual one of its kind."""
    if antenna.directivity_dbi is not None:
        return antenna.directivity_dbi.value, ""
    if antenna.kind:
        gain_dbi = DIRECTIVITIES_DBI[antenna.kind]
        return gain_dbi, f"{antenna.name}: up to {gain_dbi:g} dBi, as a {antenna.kind} may have"
    return UNKNOWN_DBI, f"{antenna.name}: up to {UNKNOWN_DBI:g} dBi, as its kind is not stated"


def coupling_of(rig: Transceiver, sends: Antenna, hears: Antenna) -> Coupling | None:
    """A measurement counts above all; else free space (ITU-R P.525), and no less than a near field's loss.

    A dummy load hears nothing, and sends only what its case lets out. A dish's feed is a waveguide far below its
    cut-off where people transmit on short wave: nothing comes out of it.
    """
    if hears.kind == "dummy load" or (hears.kind == "dish" and rig.high_hz < 1e9):
        return None
    if sends.kind == "dummy load":
        words = f"{sends.name} lets little out: {DUMMY_LOAD_LEAK_DB:.0f} dB assumed"
        return Coupling(DUMMY_LOAD_LEAK_DB, words, True, (words,))
    if hears.coupling_db is not None:
        return Coupling(hears.coupling_db.value, f"{hears.coupling_db.value:.0f} dB between the two, measured", True)
    is_known = hears.apart_m > 0
    apart_m = hears.apart_m if is_known else YARD_M
    frequency_hz = max(rig.low_hz, LOWEST_HZ)
    gains = [directivity_dbi(antenna) for antenna in (sends, hears)]
    space_db = 20 * log10(4 * pi * apart_m * frequency_hz / LIGHT_M_S)
    loss_db = max(space_db - sum(gain_dbi for gain_dbi, _ in gains), NEAR_LOSS_DB)
    distance = f"{apart_m:g} m" if is_known else f"distance not stated, {apart_m:g} m assumed"
    assumes = tuple(assumed for _, assumed in gains if assumed) + (() if is_known else (distance,))
    return Coupling(loss_db, f"{distance}, {loss_db:.0f} dB at least", is_known, assumes)
