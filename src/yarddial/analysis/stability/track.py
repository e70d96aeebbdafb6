"""Track of an oscillator: its measured error over time."""

import msgspec


class Point(msgspec.Struct, frozen=True):
    """One point: time in seconds, error in ppm (positive: runs fast) and its uncertainty."""

    time_s: float
    ppm: float
    sigma_ppm: float
