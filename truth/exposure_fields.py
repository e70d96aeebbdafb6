"""Fields about antennas from current elements summed one by one, and limits copied from the texts' tables.

Limits: ICNIRP Guidelines 2020, table 5 (whole body, 100 kHz to 300 GHz, unperturbed rms), and ICNIRP Guidelines 2010,
tables 3 and 4 (3 kHz to 10 MHz). Fields: a wire is cut into short elements with the sinusoidal current of a thin
centre-fed antenna, each with the whole field of a Hertzian dipole (Stratton, Electromagnetic Theory, 8.5), near and
far; a loop is a ring of such elements in its near zone (Biot and Savart). The ground adds 60 % to the field; where an
antenna stands on it, its image is the ground's part. Nothing of the program is used.
"""

import numpy as np
from numpy.typing import NDArray

LIGHT = 299_792_458.0
ETA = 376.730313
GROUND = 1.6

# MHz up to, electric V/m, magnetic A/m as functions of MHz; above 2 GHz power density, W/m2.
GENERAL_PUBLIC = (
    (30.0, lambda f: 300.0 / f**0.7, lambda f: 2.2 / f),
    (400.0, lambda f: 27.7, lambda f: 0.073),
    (2_000.0, lambda f: 1.375 * f**0.5, lambda f: 0.0037 * f**0.5),
    (300_000.0, lambda f: (10.0 * ETA) ** 0.5, lambda f: (10.0 / ETA) ** 0.5),
)
# 2010, 3 kHz to 10 MHz, general public: 83 V/m and 21 A/m.
NERVES = (10.0, 83.0, 21.0)


def limits(hertz: float) -> tuple[float, float]:
    """Lowest electric and magnetic limit, V/m and A/m rms."""
    mhz = hertz / 1e6
    electric, magnetic = next((e(mhz), h(mhz)) for top, e, h in GENERAL_PUBLIC if mhz <= top)
    if mhz <= NERVES[0]:
        electric, magnetic = min(electric, NERVES[1]), min(magnetic, NERVES[2])
    return electric, magnetic


def wire_current_a(length_m: float, watts: float, hertz: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Middles of the elements and their rms currents, scaled so that the far field carries the power."""
    k = 2 * np.pi * hertz / LIGHT
    edges = np.linspace(-length_m / 2, length_m / 2, 401)
    middle = (edges[1:] + edges[:-1]) / 2
    shape = np.sin(k * (length_m / 2 - np.abs(middle)))
    theta = np.linspace(1e-4, np.pi - 1e-4, 2_001)
    step = edges[1] - edges[0]
    sums = (shape[:, None] * np.exp(1j * k * middle[:, None] * np.cos(theta))).sum(axis=0) * step
    field = ETA * k / (4 * np.pi) * np.abs(sums) * np.sin(theta)
    power = np.trapezoid(field**2 / ETA * 2 * np.pi * np.sin(theta), theta)
    return middle, shape * np.sqrt(watts / power)


def wire_fields(
    middle: NDArray[np.float64], current: NDArray[np.float64], hertz: float, across: float, along: float, ground: float
) -> tuple[float, float]:
    """Electric and magnetic field at a point, rms, with the ground's part."""
    k = 2 * np.pi * hertz / LIGHT
    step = middle[1] - middle[0]
    z = along - middle
    r = np.hypot(across, z)
    cos, sin = z / r, across / r
    wave = np.exp(-1j * k * r) * current * step / (4 * np.pi)
    radial = ETA * 2 * cos * wave * (1 / r**2 + 1 / (1j * k * r**3))
    turning = ETA * sin * wave * (1j * k / r + 1 / r**2 + 1 / (1j * k * r**3))
    magnetic = sin * wave * (1j * k / r + 1 / r**2)
    e_across = (radial * sin + turning * cos).sum()
    e_along = (radial * cos - turning * sin).sum()
    return ground * float(np.hypot(abs(e_across), abs(e_along))), ground * float(abs(magnetic.sum()))


def wire_distance_m(length_m: float, watts: float, hertz: float, *, whip: bool = False) -> float:
    """Outermost distance from the wire at which a limit is exceeded somewhere; a whip has its image below."""
    whole_m, carried_w = (2 * length_m, 2 * watts) if whip else (length_m, watts)
    middle, current = wire_current_a(whole_m, carried_w, hertz)
    electric, magnetic = limits(hertz)
    half = whole_m / 2
    outermost = 0.0
    for away in np.geomspace(0.05, 300.0, 160):
        points = [(away, half * share) for share in np.linspace(0, 1, 25)]
        points += [(away * np.sin(a), half + away * np.cos(a)) for a in np.linspace(0.02, np.pi / 2, 16)]
        for across, along in points:
            e, h = wire_fields(middle, current, hertz, max(across, 1e-3), along, 1.0 if whip else GROUND)
            if e > electric or h > magnetic:
                outermost = float(away)
                break
    return outermost


def far_distance_m(gain_dbi: float, watts: float, hertz: float) -> float:
    """Where the far field of a gain falls to its limit."""
    electric, _ = limits(hertz)
    density = electric**2 / ETA
    return float(GROUND * (watts * 10 ** (gain_dbi / 10) / (4 * np.pi * density)) ** 0.5)


def ring_distance_m(radius_m: float, watts: float, hertz: float) -> float:
    """Outermost distance from a small ring, lossless, at which its magnetic near field exceeds a limit."""
    k = 2 * np.pi * hertz / LIGHT
    resistance = 20 * np.pi**2 * (k * radius_m) ** 4
    current = (watts / resistance) ** 0.5
    _, magnetic = limits(hertz)
    angle = np.linspace(0, 2 * np.pi, 721)[:-1]
    ring = radius_m * np.stack([np.cos(angle), np.sin(angle), np.zeros_like(angle)])
    element = radius_m * (angle[1] - angle[0]) * np.stack([-np.sin(angle), np.cos(angle), np.zeros_like(angle)])
    outermost = 0.0
    for away in np.geomspace(0.05, 100.0, 200):
        for where in ((radius_m + away, 0.0, 0.0), (0.0, 0.0, away)):
            apart = np.asarray(where)[:, None] - ring
            cross = np.cross(element.T, apart.T).T
            field = current / (4 * np.pi) * (cross / np.linalg.norm(apart, axis=0) ** 3).sum(axis=1)
            if GROUND * float(np.linalg.norm(field)) > magnetic:
                outermost = float(away)
    return outermost
