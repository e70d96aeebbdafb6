"""Stereo programmes of wide FM as periodic phase tables of 0.4 s, made once."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

# Short enough for the processor's cache, since look-ups dominate the cost.
RATE_HZ, TABLE_SECONDS_S = 1.2e6, 0.4
PROGRAMME_COUNT = 2
PILOT_HZ, DATA_BAUD = 19_000.0, 1_187.5
# Shares of the deviation: sound, pilot, difference of the channels, data.
DEVIATION_HZ, SOUND_SHARE, PILOT_SHARE, DIFFERENCE_SHARE, DATA_SHARE = 75e3, 0.26, 0.09, 0.1, 0.03


@lru_cache(maxsize=PROGRAMME_COUNT)
def programme(number: int) -> NDArray[np.float32]:
    """The phase in radians, the integral of the multiplex: every tone of it closes over 0.4 s.

    A fast subcarrier's integral is -cos / w times its slow amplitude.
    """
    chance = np.random.default_rng(number + 77)
    count = int(RATE_HZ * TABLE_SECONDS_S)
    time_s = np.arange(count) / RATE_HZ
    phase, difference = np.zeros(count), np.zeros(count)
    tones = np.round(np.sort(chance.uniform(120, 4500, 5)) * TABLE_SECONDS_S) / TABLE_SECONDS_S
    for k, tone in enumerate(tones):
        start, size = chance.uniform(0, 2 * np.pi), 1 / len(tones)
        phase -= DEVIATION_HZ * SOUND_SHARE * size * np.cos(2 * np.pi * tone * time_s + start) / tone
        difference += (size if k % 2 else -size) * np.sin(2 * np.pi * tone * time_s + start)
    phase -= DEVIATION_HZ * PILOT_SHARE * np.cos(2 * np.pi * PILOT_HZ * time_s) / PILOT_HZ
    phase -= DEVIATION_HZ * DIFFERENCE_SHARE * difference * np.cos(4 * np.pi * PILOT_HZ * time_s) / (2 * PILOT_HZ)
    bits = chance.choice([-1.0, 1.0], int(DATA_BAUD * TABLE_SECONDS_S))
    data = bits[(time_s * DATA_BAUD).astype(np.int64) % bits.size] * np.sin(2 * np.pi * DATA_BAUD * time_s)
    phase -= DEVIATION_HZ * DATA_SHARE * data * np.cos(6 * np.pi * PILOT_HZ * time_s) / (3 * PILOT_HZ)
    return phase.astype(np.float32)
