"""Search for a second line that might have been meant instead of the measured one."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import Carrier
from yarddial.dsp.decimation import decimate, decimation_for

# Bins over which a line's power is summed (twice its spread when it fades), up to the window's sidelobes.
WIDTH_BINS = 5
# Minimum share of the power around two lines that is in them; voice on both leaves two thirds.
TWO_LINES = 0.6
# Closer than this many widths two lines count as one.
APART_WIDTHS = 2.0


class Rival(msgspec.Struct, frozen=True):
    """The next strongest line: its frequency relative to the centre, hertz, and its level below the measured one,
    dB.
    """

    frequency_hz: float
    below_db: float


def rival_of(
    samples: NDArray[np.complex64], rate_hz: float, carrier: Carrier, near_hz: float, within_hz: float
) -> Rival | None:
    """Find the strongest other steady line within the search range; None without one.

    The line's own drift is taken out first, so that it stays in its place; of a fading line as much is summed as it is
    broad.

    Parameters
    ----------
    samples, rate_hz, near_hz, within_hz
        As they were measured.
    carrier : Carrier
        What was found in them.
    """
    from scipy import fft

    factor = decimation_for(rate_hz, 2 * within_hz + abs(carrier.frequency_hz - near_hz))
    narrow = decimate(samples, rate_hz, carrier.frequency_hz, factor)
    slice_hz = rate_hz / factor
    if abs(carrier.drift_hz_per_s) > 0 and carrier.method == "drifting":
        t = (np.arange(narrow.size) - narrow.size / 2) / slice_hz
        narrow = narrow * np.exp(-1j * np.pi * carrier.drift_hz_per_s * t**2)
    # Trim to a length with a fast transform.
    narrow = narrow[: fft.prev_fast_len(narrow.size)]
    power = np.abs(fft.fft(narrow * np.hanning(narrow.size).astype(np.float32))) ** 2
    bin_hz = slice_hz / narrow.size
    width = max(WIDTH_BINS, int(4 * carrier.spread_hz / bin_hz) | 1)
    together = np.convolve(np.concatenate([power[-width:], power, power[:width]]), np.ones(width), "same")[width:-width]
    away_hz = fft.fftfreq(narrow.size, 1 / slice_hz)
    place_hz = away_hz + carrier.frequency_hz
    others = (np.abs(away_hz) > APART_WIDTHS * width * bin_hz) & (np.abs(place_hz - near_hz) <= within_hz)
    if not others.any():
        return None
    floor = float(np.median(together))
    strongest = int(np.argmax(np.where(others, together, 0.0)))
    own = max(float(together[0]) - floor, 1e-30)
    other = max(float(together[strongest]) - floor, 1e-30)
    # A line whose drift is underestimated fills the gap between: that is one line, not two.
    reach_hz = abs(float(away_hz[strongest])) + width * bin_hz
    around = np.abs(away_hz) <= reach_hz
    all_of_it = float(power[around].sum()) - floor / width * int(around.sum())
    if own + other < TWO_LINES * all_of_it:
        return None
    return Rival(float(place_hz[strongest]), float(10 * np.log10(own / other)))
