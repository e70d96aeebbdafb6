"""External noise that reaches an antenna, 10 kHz to 12 GHz.

Man-made, galactic and sky noise follow Recommendation ITU-R P.372. Thunderstorm noise is rounded from its curves for
temperate latitudes and good to about 10 dB, as are its deciles.
"""

from bisect import bisect_left
from collections.abc import Sequence
from datetime import datetime
from math import cos, log10, pi
from typing import Literal

import msgspec

KT0_DBM_HZ = -173.98
T0_K = 290.0
# Median values: c and d of F_a = c - d log10(f / MHz), dB above k T0 b.
SURROUNDINGS = {
    "city": (76.8, 27.7),
    "residential": (72.5, 27.7),
    "rural": (67.2, 27.7),
    "quiet": (53.6, 28.6),
}
GALACTIC = (52.0, 23.0)
GALACTIC_FROM_HZ = 10e6
# Cosmic background, and clear air at the usual elevation of a dish (ITU-R P.372).
COSMIC_K, AIR_K, AIR_K_PER_GHZ = 2.7, 4.0, 0.2

# Thunderstorm noise to assume: none, that of the current month and hour in one hemisphere, or a fixed case.
Atmospherics = Literal["now", "now, southern", "none", "summer day", "summer night", "winter day", "winter night"]
# dB above k T0 b: (log10 of megahertz, F_a) for (summer, winter) and (day, night).
_AT_MHZ = (0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0, 20.0, 30.0)
ATMOSPHERIC_DB: dict[tuple[str, str], tuple[float, ...]] = {
    ("summer", "night"): (160, 140, 115, 92, 70, 57, 38, 20, 5),
    ("winter", "night"): (155, 132, 100, 77, 55, 46, 30, 12, 0),
    ("summer", "day"): (158, 137, 105, 75, 45, 32, 30, 18, 5),
    ("winter", "day"): (152, 125, 80, 45, 20, 18, 22, 12, 0),
}


class Storms(msgspec.Struct, frozen=True):
    """Distant thunderstorms as a mixture of cases: 0 to 1 each, from winter to summer and from day to night."""

    summer: float
    night: float

    @classmethod
    def of(cls, chosen: Atmospherics, now: datetime) -> "Storms | None":
        """Resolve the choice; `now` uses month and local hour, with maxima in July and one hour past midnight."""
        if chosen == "none":
            return None
        if not chosen.startswith("now"):
            season, time = chosen.split(" ")
            return cls(float(season == "summer"), float(time == "night"))
        summer = (1 - cos(2 * pi * (now.month - 1) / 12)) / 2
        night = (1 + cos(2 * pi * (now.hour + now.minute / 60 - 1) / 24)) / 2
        return cls(1 - summer if chosen.endswith("southern") else summer, night)

    def noise_db(self, frequency_hz: float) -> float | None:
        """F_a in dB above k T0 b, interpolated between cases in decibels; None above 30 MHz, where it is negligible."""
        megahertz = max(frequency_hz / 1e6, _AT_MHZ[0])
        if megahertz > _AT_MHZ[-1]:
            return None
        by_case = {case: _between(row, megahertz) for case, row in ATMOSPHERIC_DB.items()}
        by_time = {
            time: self.summer * by_case["summer", time] + (1 - self.summer) * by_case["winter", time]
            for time in ("day", "night")
        }
        return self.night * by_time["night"] + (1 - self.night) * by_time["day"]


class Outside(msgspec.Struct, frozen=True):
    """Noise environment of a yard: a name of SURROUNDINGS, and the thunderstorms assumed."""

    surroundings: str = "rural"
    storms: Storms | None = None

    def noise_db(self, frequency_hz: float, ground_share: float) -> float:
        """F_a of a lossless antenna, dB above k T0 b."""
        return external_noise_db(frequency_hz, self.surroundings, self.storms, ground_share)


def external_noise_db(
    frequency_hz: float, surroundings: str, storms: Storms | None = None, ground_share: float = 1.0
) -> float:
    """F_a of a lossless antenna, in dB above k T0 b.

    ground_share : share of warm ground in the antenna's view; the rest is sky.
    """
    megahertz = max(frequency_hz / 1e6, 0.01)
    coefficients = SURROUNDINGS[surroundings]
    power = 10 ** ((coefficients[0] - coefficients[1] * log10(megahertz)) / 10)
    if frequency_hz > GALACTIC_FROM_HZ:
        power += 10 ** ((GALACTIC[0] - GALACTIC[1] * log10(megahertz)) / 10)
    of_storms_db = None if storms is None else storms.noise_db(frequency_hz)
    if of_storms_db is not None:
        power += 10 ** (of_storms_db / 10)
    sky_k = COSMIC_K + AIR_K + AIR_K_PER_GHZ * megahertz / 1e3
    power += ground_share + (1 - ground_share) * sky_k / T0_K
    return 10 * log10(power)


def _between(row: Sequence[float], megahertz: float) -> float:
    """Interpolate linearly over the logarithm of the frequency."""
    right = max(bisect_left(_AT_MHZ, megahertz), 1)
    low, high = log10(_AT_MHZ[right - 1]), log10(_AT_MHZ[right])
    return row[right - 1] + (row[right] - row[right - 1]) * (log10(megahertz) - low) / (high - low)
