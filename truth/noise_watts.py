"""Noise and levels a second time, in watts and kelvins and complex ohms: antennas, the sky, storms, chains, samplers.

Written from the texts (ITU-R P.372; Balanis, Antenna Theory; Friis 1944; IEEE Std 1241), nothing of ours is imported.
The thunderstorms' curves are read once and shared, as there is no formula for them; their use is not.
"""

import cmath
from math import cos, exp, log, pi

import numpy as np

BOLTZMANN_J_K, STANDARD_K, LIGHT_M_S = 1.380649e-23, 290.0, 299_792_458.0
# ITU-R P.372: medians of man-made noise, F_a = c - d log10(MHz).
MADE = {"city": (76.8, 27.7), "residential": (72.5, 27.7), "rural": (67.2, 27.7), "quiet": (53.6, 28.6)}
STORM_MHZ = [0.01, 0.03, 0.1, 0.3, 1, 3, 10, 20, 30]
STORM_DB = {
    "summer night": [160, 140, 115, 92, 70, 57, 38, 20, 5], "winter night": [155, 132, 100, 77, 55, 46, 30, 12, 0],
    "summer day": [158, 137, 105, 75, 45, 32, 30, 18, 5], "winter day": [152, 125, 80, 45, 20, 18, 22, 12, 0],
}  # fmt: skip


def antenna_kelvins(frequency_hz: float, surroundings: str, storms: dict[str, float], looks_at_ground: float) -> float:
    """Temperature of what comes in; storms: the weight of each case, empty for none."""
    mhz = frequency_hz / 1e6
    c, d = MADE[surroundings]
    # Powers of ten and of the frequency instead of logarithms.
    kelvins = STANDARD_K * 10 ** (c / 10) * mhz ** (-d / 10)
    if mhz > 10:
        kelvins += STANDARD_K * 10**5.2 * mhz**-2.3
    if storms and mhz <= 30:
        decibels = sum(
            weight * float(np.interp(log(mhz), np.log(STORM_MHZ), STORM_DB[case])) for case, weight in storms.items()
        )
        kelvins += STANDARD_K * exp(decibels / 10 * log(10))
    sky_k = 2.7 + 4.0 + 0.2 * mhz / 1000
    return kelvins + looks_at_ground * STANDARD_K + (1 - looks_at_ground) * sky_k


def storm_weights(month: int, hour: float, south: bool) -> dict[str, float]:
    """How much of each case: summer is July in the north, night is an hour past midnight."""
    warm = 0.5 - 0.5 * cos(2 * pi * (month - 1 + (6 if south else 0)) / 12)
    dark = 0.5 + 0.5 * cos(2 * pi * (hour - 1) / 24)
    return {
        f"{season} {time}": (warm if season == "summer" else 1 - warm) * (dark if time == "night" else 1 - dark)
        for season in ("summer", "winter")
        for time in ("day", "night")
    }


def delivered(kind: str, size_m: float, lowest_hz: float, frequency_hz: float) -> float:
    """Share of the power to be had that reaches 50 ohms: from the complex impedance, and no more than in practice."""
    practice = {"wire": 5.0, "whip": 2.0, "dipole": 0.5, "discone": 0.5, "beam": 0.5, "loop": 3.0, "dish": 0.0}[kind]
    best, wave_m = 10 ** (-practice / 10), LIGHT_M_S / frequency_hz
    if kind == "loop":
        around = pi * size_m / wave_m
        if around >= 0.5:
            return best
        radiates = 320 * pi**6 * (size_m / 2 / wave_m) ** 4
        henries = 4e-7 * pi * size_m / 2 * (log(4 * size_m / 5e-3) - 2)
        return min(max(_into_fifty(radiates, 2 * pi * frequency_hz * henries, 0.0), 1e-12), best)
    if kind in ("whip", "wire", "dipole"):
        arm_m = size_m / 2 if kind == "dipole" else size_m
        phase = 2 * pi * arm_m / wave_m
        if phase >= pi / 2:
            return best
        radiates = 10 * phase**2 if phase < pi / 4 else 12.35 * phase**2.5
        thin = {"whip": 2e-3}.get(kind, 1e-3)
        # The open line's input: -j Z cot, as a complex tangent.
        reacts = (-1j * 60 * (log(arm_m / thin) - 1) / cmath.tan(phase)).imag
        if kind == "dipole":
            radiates, reacts = 2 * radiates, 2 * reacts
        return min(max(_into_fifty(radiates, reacts, 30.0 if kind == "wire" else 0.0), 1e-12), best)
    return best if frequency_hz >= lowest_hz else min(max((frequency_hz / lowest_hz) ** 4, 1e-12), best)


def _into_fifty(radiates: float, reacts: float, loses: float) -> float:
    """Volts behind the radiation resistance drive a current through all: watts in 50 ohms over those to be had."""
    current = 1 / abs(complex(radiates + loses + 50.0, reacts))
    return 50.0 * current**2 / (1 / (4 * radiates))


def noise_watts(kelvins: float, stages: list[tuple[float, float]], bandwidth_hz: float) -> tuple[float, float]:
    """(from outside, from the stages) behind stages of (gain, noise factor), each adding (F - 1) k T0 B before it."""
    outside, own = BOLTZMANN_J_K * kelvins * bandwidth_hz, 0.0
    for gain, factor in stages:
        own += (factor - 1) * BOLTZMANN_J_K * STANDARD_K * bandwidth_hz
        outside, own = outside * gain, own * gain
    return outside, own


def sampler_noise(effective_bits: float, sent_bits: float, rate_hz: float, clock_hz: float) -> float:
    """Power in a hertz over that of a full-scale sine; clock_hz 0 behind a tuner.

    A step q makes q^2 / 12; a sine over 2^b steps has (2^b q)^2 / 8. A direct sampler spreads it over half its clock,
    and rounds what it sends once more.
    """
    first = (1 / 12) / (2 ** (2 * effective_bits) / 8)
    if not clock_hz:
        return first / rate_hz
    return first / (clock_hz / 2) + (1 / 12) / (2 ** (2 * sent_bits) / 8) / rate_hz
