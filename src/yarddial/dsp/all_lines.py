"""All carriers of a span: detect every line, then measure each one separately."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import Carrier, estimate_carrier
from yarddial.yard.errors import BadSamples, NoCarrier

# Bin width of the span search, and how far a line must exceed its surroundings.
BIN_HZ, CARRIER_OVER_NOISE_DB = 8.0, 12.0
# Width of the receiver's own DC spike, and the alias-free part of the span.
SPIKE_HZ, ALIAS_FREE_HALF = 40.0, 0.42
# Window for the local noise floor, bins; the maximum number of lines measured.
FLOOR_WIDTH_BINS, MAX_LINES = 201, 400
# Treat a line as a mirror when a line this much stronger is at the opposite offset from the centre.
MIRROR_DB, MIRROR_BINS = 25.0, 2


class CarrierLine(msgspec.Struct, frozen=True):
    """A carrier in the span: offset from the centre and level above its surroundings."""

    carrier: Carrier
    over_db: float


def all_lines(samples: NDArray[np.complex64], rate_hz: float, apart_hz: float) -> list[CarrierLine]:
    """Find and measure all carriers, low frequency first; of carriers closer than apart_hz only the strongest.

    Sidebands of broadcasters stand beside their carriers; with apart_hz half of the raster they are left out. Mirrors
    of much stronger lines are left out as well.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0; the longer, the finer each is measured.

    Raises
    ------
    BadSamples
        Too few samples for the look over the span.
    """
    from scipy import ndimage

    size = 1 << max(int(np.ceil(np.log2(rate_hz / BIN_HZ))), 8)
    if samples.size < 2 * size:
        raise BadSamples(f"{samples.size / rate_hz:.2f} s are too short for a scan: record {2 * size / rate_hz:.1f} s")
    power = _mean_power(samples, size)
    hertz = np.fft.fftshift(np.fft.fftfreq(size, 1 / rate_hz))
    level_db = 10 * np.log10(np.maximum(power, 1e-30))
    about_db = ndimage.median_filter(level_db, FLOOR_WIDTH_BINS, mode="wrap")
    over_db = level_db - about_db
    stands = (
        (over_db > CARRIER_OVER_NOISE_DB) & (np.abs(hertz) > SPIKE_HZ) & (np.abs(hertz) < ALIAS_FREE_HALF * rate_hz)
    )
    stands &= level_db >= np.maximum(np.roll(level_db, 1), np.roll(level_db, -1))
    mirrored_db = ndimage.maximum_filter(level_db[::-1], 2 * MIRROR_BINS + 1)
    stands &= level_db > np.roll(mirrored_db, 1) - MIRROR_DB
    taken: list[int] = []
    for at in sorted(np.flatnonzero(stands).tolist(), key=lambda i: -float(level_db[i])):
        if all(abs(hertz[at] - hertz[other]) >= apart_hz for other in taken):
            taken.append(at)
        if len(taken) >= MAX_LINES:
            break
    carriers = []
    for at in sorted(taken):
        try:
            carrier = estimate_carrier(samples, rate_hz, float(hertz[at]), 3 * rate_hz / size)
        except (NoCarrier, BadSamples):
            continue
        carriers.append(CarrierLine(carrier, float(over_db[at])))
    return carriers


def _mean_power(samples: NDArray[np.complex64], size: int) -> NDArray[np.float64]:
    """Average Hann spectra of half-overlapping blocks, low frequency first."""
    from scipy import fft

    window = np.hanning(size).astype(np.float32)
    total = np.zeros(size)
    starts = range(0, samples.size - size + 1, size // 2)
    for start in starts:
        spectrum = fft.fft(samples[start : start + size] * window)
        total += spectrum.real**2 + spectrum.imag**2
    return np.fft.fftshift(total) / len(starts)
