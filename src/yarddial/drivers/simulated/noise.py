"""Noise at a simulated receiver's socket."""

from math import log10

from yarddial.yard.external_noise import KT0_DBM_HZ, external_noise_db


def noise_density_dbm_hz(frequency_hz: float, surroundings: str, antenna_db: float, receiver_nf_db: float) -> float:
    """Noise density at the receiver's socket: antenna noise reduced by antenna_db, plus the receiver's own."""
    outside = 10 ** ((external_noise_db(frequency_hz, surroundings) + antenna_db) / 10)
    inside = 10 ** (receiver_nf_db / 10) - 1
    return KT0_DBM_HZ + 10 * log10(outside + inside + 1)
