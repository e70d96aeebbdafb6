"""What the kernel's virtual test receiver sends, by its own integer arithmetic (`vivid-sdr-cap.c`), not by our code.

A beep modulates the frequency of a carrier in the middle of the span. Phases are fixed-point numbers with a turn of
TURN; each sample adds a step.
"""

import numpy as np

FRACTION_BITS = 15
TURN = int(2 * 3.141592653589 * (1 << FRACTION_BITS))
BEEP_HZ = 1000
# M_100000PI of the kernel's file.
DIVISOR = int(3.14159 * 100000)
FORMATS = {"CU08", "CS08"}
RATES_HZ = ((300e3, 300e3), (900_001.0, 2.8e6), (3.2e6, 3.2e6))
TUNER_HZ = (50e6, 2e9)
# Control of the deviation: V4L2_CID_USER_BASE's neighbour, VIVID_CID_VIVID_BASE + 110.
DEVIATION_CONTROL = 0x00F0_F000 + 110
SAMPLES_A_BUFFER = 0x4000


def _step(rate_hz: float) -> int:
    return round(TURN * BEEP_HZ / rate_hz)


def beep_hz(rate_hz: float) -> float:
    """Frequency of the beep after its step was rounded."""
    return _step(rate_hz) / TURN * rate_hz


def middle_hz(rate_hz: float, deviation: int) -> float:
    """Mean frequency of the carrier over one turn of the beep, from the middle of the span."""
    phase = np.arange(TURN, dtype=np.int64) * _step(rate_hz) % TURN
    wave = np.floor(np.cos(2 * np.pi * phase / TURN) * (1 << FRACTION_BITS))
    # Division of the kernel's integers rounds toward zero.
    added = np.trunc(wave * deviation / DIVISOR)
    return float(added.mean() / TURN * rate_hz)


def deviation_hz(rate_hz: float, deviation: int) -> float:
    """Peak deviation: the control's number is not in hertz at this rate."""
    return (1 << FRACTION_BITS) * deviation / DIVISOR / TURN * rate_hz
