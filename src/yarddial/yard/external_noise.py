"""Noise from outside: what an antenna brings at a frequency (Recommendation ITU-R P.372)."""

from math import log10

KT0_DBM_HZ = -173.98
# Median values: c and d of F_a = c - d log10(f / MHz), dB above k T0 b.
SURROUNDINGS = {
    "city": (76.8, 27.7),
    "residential": (72.5, 27.7),
    "rural": (67.2, 27.7),
    "quiet": (53.6, 28.6),
}
GALACTIC = (52.0, 23.0)


def external_noise_db(frequency_hz: float, surroundings: str) -> float:
    """F_a in dB above k T0 b: man-made and galactic noise together; 0 dB at least, for the ground is warm."""
    megahertz = max(frequency_hz / 1e6, 0.05)
    made = SURROUNDINGS[surroundings]
    power = 10 ** ((made[0] - made[1] * log10(megahertz)) / 10)
    if megahertz > 10:
        power += 10 ** ((GALACTIC[0] - GALACTIC[1] * log10(megahertz)) / 10)
    return 10 * log10(max(power, 1.0))
