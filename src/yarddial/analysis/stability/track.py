"""An oscillator's error over time, as measured."""

import msgspec


class Point(msgspec.Struct, frozen=True):
    """At a time, seconds: the error in ppm (positive: runs fast) and its uncertainty."""

    time_s: float
    ppm: float
    sigma_ppm: float
