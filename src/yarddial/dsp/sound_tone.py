"""Measurement of a tone in audio."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import Carrier
from yarddial.dsp.spectral_line import measure_line
from yarddial.yard.errors import BadSamples

# In a shorter recording a tone is known to a hertz at best.
MIN_S = 0.2
# Below this are mains hum and the carrier itself.
LOWEST_HZ = 30.0


def sound_tone(samples: NDArray[np.float32], rate_hz: float, near_hz: float, within_hz: float) -> Carrier:
    """Measure the strongest tone within near_hz +- within_hz.

    samples : shape (n,), full scale 1.0. Real audio has each tone at plus and minus its frequency; the search keeps to
    one side.

    Raises
    ------
    BadSamples
        Too short, clipped, silent, or a search range that is entirely below 30 Hz.
    NoCarrier
        No tone stands out.
    """
    if samples.size < MIN_S * rate_hz:
        raise BadSamples(f"{samples.size / rate_hz:.2f} s are too short for a tone: record {MIN_S:g} s or more")
    within_hz = min(within_hz, near_hz - LOWEST_HZ, rate_hz / 2 - near_hz)
    if within_hz <= 0:
        raise BadSamples(f"a tone at {near_hz:g} Hz is not in a sound of {rate_hz:g} samples a second: give another")
    # Real audio clips on one polarity at a time; halve it, so that the test of the complex signal sees both.
    peak = float(np.mean(np.abs(samples) >= 0.999))
    if peak > 1e-3:
        raise BadSamples(f"{peak:.1%} of the sound is at full scale: record it quieter")
    return measure_line((samples / 2).astype(np.complex64), rate_hz, near_hz, within_hz)
