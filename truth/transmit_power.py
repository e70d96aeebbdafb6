"""What comes to a receiver while a transmitter sends, in watts and by hand; knows nothing of the program."""

from math import pi

# Metres a second; the lowest band on which people send on short wave, hertz.
LIGHT, LOWEST = 299_792_458.0, 1.8e6


def watts_through(power_w: float, losses: list[float]) -> float:
    """Power left behind parts that each leave a share of it, the shares given as ratios of watts."""
    for share in losses:
        power_w *= share
    return power_w


def share_of(loss_db: float) -> float:
    """A loss in decibels as a ratio of watts."""
    return float(10.0 ** (-loss_db / 10.0))


def share_through_air(metres: float, gain_a: float, gain_b: float, hertz: float = LOWEST) -> float:
    """Friis: P_b / P_a = G_a G_b (lambda / 4 pi d)^2, and never more than a tenth, as in each other's near field."""
    wavelength = LIGHT / hertz
    return min(gain_a * gain_b * (wavelength / (4 * pi * metres)) ** 2, 0.1)


def is_harmed(power_w: float, limit_dbm: float) -> bool:
    """Whether a power is more than an input takes, its limit in dBm."""
    return power_w > 1e-3 * 10.0 ** (limit_dbm / 10.0)
