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
# Gains over all directions' mean, dB, at most; of kinds not named, a dipole's.
GAINS_DBI = {"wire": 2.2, "whip": 2.2, "dipole": 2.2, "discone": 2.2, "loop": 1.8, "beam": 10.0, "dish": 40.0}


class Coupling(msgspec.Struct, frozen=True):
    """Loss from one antenna's socket to the other's at worst, and where that is from.

    is_known : measured, or worked out from a distance that was stated.
    """

    loss_db: float
    words: str
    is_known: bool


def coupling_of(rig: Transceiver, sends: Antenna, hears: Antenna) -> Coupling | None:
    """A measurement counts above all; else free space (ITU-R P.525), and no less than a near field's loss.

    A dummy load hears nothing. A dish's feed is a waveguide far below its cut-off where people transmit on short wave:
    nothing comes out of it.
    """
    if hears.coupling_db is not None:
        return Coupling(hears.coupling_db.value, f"{hears.coupling_db.value:.0f} dB between the two, measured", True)
    if hears.kind == "dummy load" or (hears.kind == "dish" and rig.high_hz < 1e9):
        return None
    is_known = hears.apart_m > 0
    apart_m = hears.apart_m if is_known else YARD_M
    frequency_hz = max(rig.low_hz, LOWEST_HZ)
    gains_dbi = sum(GAINS_DBI.get(antenna.kind, 2.2) for antenna in (sends, hears))
    space_db = 20 * log10(4 * pi * apart_m * frequency_hz / LIGHT_M_S)
    loss_db = max(space_db - gains_dbi, NEAR_LOSS_DB)
    distance = f"{apart_m:g} m" if is_known else f"distance not stated, {apart_m:g} m assumed"
    return Coupling(loss_db, f"{distance}, {loss_db:.0f} dB at least", is_known)
