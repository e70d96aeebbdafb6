"""A carrier whose phase swings at the mains' frequency: above 1.43 rad its sidebands are stronger than itself."""

from collections.abc import Iterable

import msgspec
import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
Floats = NDArray[np.float64]

# Frequencies at which supplies swing, and how far mains may be off.
HUM_HZ, HUM_TOLERANCE = (50.0, 60.0, 100.0, 120.0), 5e-3
# A line at the mains' distance from the strongest one that is this strong, against it, may be its carrier.
MIN_SIDEBAND_DB, MIN_SECOND_SIDEBAND_DB = -9.0, -15.0
# Sidebands on each side, swings that are tried, and phases.
MAX_SIDEBANDS, SWINGS_RAD, PHASE_STEPS = 6, np.linspace(0.3, 3.6, 45), 36
# Fineness of the spectrum in which the hum's own frequency is read.
FINE_BINS = 8
# The model explains at least this share of the lines' power.
MIN_SHARE = 0.9


class PhaseHum(msgspec.Struct, frozen=True):
    """Swing of a carrier's phase: swing_rad * sin(2 pi hum_hz t + phase_rad), t from the middle of the record.

    share : of the lines' power that it explains.
    """

    carrier_hz: float
    hum_hz: float
    swing_rad: float
    phase_rad: float
    share: float

    def removed(self, samples: Complex, rate_hz: float) -> Complex:
        """Samples without the swing."""
        time_s = (np.arange(samples.size) - (samples.size - 1) / 2) / rate_hz
        swing = self.swing_rad * np.sin(2 * np.pi * self.hum_hz * time_s + self.phase_rad)
        return np.asarray(samples * np.exp(-1j * swing), np.complex64)


def hum_beside(samples: Complex, rate_hz: float, line_hz: float) -> float:
    """Distance in hertz of a strong line that stands a hum away from the strongest; 0 where none does."""
    from scipy import fft

    window = np.hanning(samples.size).astype(np.float32)
    points = fft.next_fast_len(samples.size)
    power = np.abs(fft.fft(samples * window, points)) ** 2
    bin_hz = rate_hz / points
    best = (0.0, 0.0)
    for hum_hz in HUM_HZ:
        reach = max(round(HUM_TOLERANCE * hum_hz / bin_hz), 1)
        for side in (-1, 1):
            middle = round((line_hz + side * hum_hz) / bin_hz)
            if abs(line_hz + side * hum_hz) > 0.45 * rate_hz:
                continue
            places = np.arange(middle - reach, middle + reach + 1)
            at = int(np.argmax(power[places % points]))
            level = float(power[places[at] % points])
            if level > best[0]:
                best = (level, abs(float(places[at]) * bin_hz - line_hz))

    def near(hertz: float) -> float:
        """Strongest of seven bins at a frequency: the distance is known to a bin, twice of it to two."""
        return float(power[np.arange(round(hertz / bin_hz) - 3, round(hertz / bin_hz) + 4) % points].max())

    own = near(line_hz)
    if best[0] <= own * 10 ** (MIN_SIDEBAND_DB / 10):
        return 0.0
    # A swing has lines on both sides of its carrier: beside the strongest stand two or more, a hum apart or half of it.
    steps: list[float] = [side * step_hz for step_hz in (best[1], best[1] / 2) for side in (-2, -1, 1, 2)]
    side_places = {round(float(line_hz + step_hz), 3) for step_hz in steps if abs(line_hz + step_hz) < 0.45 * rate_hz}
    sides = [near(place_hz) for place_hz in side_places]
    strong = sum(level > own * 10 ** (MIN_SECOND_SIDEBAND_DB / 10) for level in sides)
    return best[1] if strong >= 2 else 0.0


def phase_hum(samples: Complex, rate_hz: float, line_hz: float, near_hum_hz: float) -> PhaseHum | None:
    """Find the carrier among lines a hum apart; None where they are no swing of one carrier's phase.

    The sidebands of exp(j b sin(w t + p)) are the Bessel functions J_k(b) exp(j k p).

    Parameters
    ----------
    samples, rate_hz
        A slice that holds the lines.
    line_hz, near_hum_hz : float
        The strongest line, and the distance of another from it.
    """
    from scipy import fft

    time_s = (np.arange(samples.size) - (samples.size - 1) / 2) / rate_hz
    still = samples * np.exp(-2j * np.pi * line_hz * time_s)
    bin_hz = rate_hz / samples.size
    tried_hz = near_hum_hz + np.arange(-3, 3.01, 1 / FINE_BINS) * bin_hz
    points = fft.next_fast_len(FINE_BINS * samples.size)
    power = np.abs(fft.fft(still, points)) ** 2
    near_sides = np.array([-2, -1, 1, 2])
    at = np.round(np.outer(tried_hz, near_sides) * points / rate_hz).astype(int) % points
    hum_hz = float(tried_hz[int(np.argmax(power[at].sum(axis=1)))])
    sides = np.arange(-2 * MAX_SIDEBANDS, 2 * MAX_SIDEBANDS + 1)
    sizes = np.full(sides.size, np.nan, complex)
    for index, side in enumerate(sides.tolist()):
        if abs(line_hz + side * hum_hz) < 0.45 * rate_hz:
            sizes[index] = np.mean(still * np.exp(-2j * np.pi * side * hum_hz * time_s))
    whole = float(np.nansum(np.abs(sizes) ** 2))
    best = _fitted(sizes, SWINGS_RAD, 2 * np.pi * np.arange(PHASE_STEPS) / PHASE_STEPS, range(-4, 5))
    for narrower in (8, 64):
        swings = best.swing_rad + np.linspace(-0.3, 0.3, 25) / narrower
        phases = best.phase_rad + np.linspace(-np.pi, np.pi, 25) / narrower / 2
        best = _fitted(sizes, swings, phases, (best.shift,))
    if best.score < MIN_SHARE * whole:
        return None
    return PhaseHum(line_hz + best.shift * hum_hz, hum_hz, best.swing_rad, best.phase_rad, best.score / whole)


class _Swing(msgspec.Struct, frozen=True):
    """Power of the lines that a swing explains, the carrier's number among them, and the swing."""

    score: float
    shift: int
    swing_rad: float
    phase_rad: float


def _fitted(sizes: NDArray[np.complex128], swings: Floats, phases: Floats, shifts: Iterable[int]) -> _Swing:
    """Swing of a grid that explains most of the lines; sizes that are not known are left out."""
    own = np.arange(-MAX_SIDEBANDS, MAX_SIDEBANDS + 1)
    turns = np.exp(1j * np.outer(own, phases))
    angle = 2 * np.pi * np.arange(64) / 64
    best = _Swing(0.0, 0, 0.0, 0.0)
    for swing_rad in swings.tolist():
        bessel = np.fft.fft(np.exp(1j * swing_rad * np.sin(angle))) / 64
        model = bessel[own][:, None] * turns
        for shift in shifts:
            seen = sizes[2 * MAX_SIDEBANDS + shift + own]
            able = np.isfinite(seen)
            fitted = model[able]
            scores = np.abs(np.conj(fitted).T @ seen[able]) ** 2 / np.sum(np.abs(fitted) ** 2, axis=0)
            at = int(np.argmax(scores))
            if scores[at] > best.score:
                best = _Swing(float(scores[at]), shift, swing_rad, float(phases[at]))
    return best
