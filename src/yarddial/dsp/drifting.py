"""Estimation of a carrier that drifts by more than a bin: frequency and rate of change together."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import Carrier, estimate_carrier
from yarddial.dsp.decimation import decimate, decimation_for
from yarddial.yard.errors import BadSamples

Complex = NDArray[np.complex64]
# Largest drift searched: faster than a warming crystal at its upper limit, and than satellite Doppler; hertz per
# second.
MAX_DRIFT = 2.0
# Drift allowed within a short row, in bins; rows are summed along each track.
ROW_DRIFT_BINS, MIN_ROWS, MAX_ROWS = 0.5, 4, 128
# Step of the fine grid in units of 1 / T^2: half a step costs 0.3 dB.
GRID_STEP = 1.2
# Bins kept to either side of the track for later stages.
ROOM_BINS = 48


def estimate_drifting(
    samples: Complex,
    rate_hz: float,
    near_hz: float = 0.0,
    within_hz: float = 2_000.0,
    max_drift_hz_per_s: float = MAX_DRIFT,
) -> Carrier:
    """Estimate a carrier's frequency at the middle of the block, and how fast it changes.

    Short rows, in which it hardly moves, are added up along every straight track [1]_; the best track is turned back to
    a standstill and measured as a steady carrier is, which refines frequency and rate together by their likelihood.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0.
    rate_hz, near_hz, within_hz : float
        Sample rate; where to search, from the centre.
    max_drift_hz_per_s : float
        Fastest drift thought of, either way.

    Raises
    ------
    BadSamples, NoCarrier
        As `estimate_carrier`.

    References
    ----------
    .. [1] Abatzoglou, IEEE Trans. AES-22 (1986) 708-715: fast maximum likelihood of a chirp.
    """
    duration_s = samples.size / rate_hz
    factor = decimation_for(rate_hz, within_hz)
    narrow = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    narrow_hz = rate_hz / factor
    start_hz, drift = _track(narrow, narrow_hz, within_hz, max_drift_hz_per_s)
    row_bin_hz = _row_bin_hz(narrow.size, narrow_hz, max_drift_hz_per_s)
    room_hz = min(ROOM_BINS * row_bin_hz, 0.4 * narrow_hz)
    # A larger residual rate would have shown in the rows.
    drift += _finer(_still(narrow, narrow_hz, start_hz, drift), narrow_hz, 2 * row_bin_hz, 2 * row_bin_hz / duration_s)
    carrier = estimate_carrier(_still(narrow, narrow_hz, start_hz, drift), narrow_hz, 0.0, room_hz)
    return msgspec.structs.replace(
        carrier,
        frequency_hz=near_hz + start_hz + carrier.frequency_hz,
        drift_hz_per_s=drift + carrier.drift_hz_per_s,
        duration_s=duration_s,
    )


def _still(narrow: Complex, rate_hz: float, start_hz: float, drift: float) -> Complex:
    """Remove a track's frequency and drift: its phase is f t + r t^2 / 2 from the middle; subtract whole turns in
    float64.
    """
    time_s = (np.arange(narrow.size) - (narrow.size - 1) / 2) / rate_hz
    turns = (start_hz * time_s + 0.5 * drift * time_s**2) % 1.0
    return np.asarray(narrow * np.exp(-2j * np.pi * turns), np.complex64)


def _finer(still: Complex, rate_hz: float, within_hz: float, within_drift: float) -> float:
    """Find the remaining drift by the full likelihood, on a grid that loses at most 0.3 dB."""
    from scipy import fft

    factor = decimation_for(rate_hz, within_hz)
    slow = decimate(still, rate_hz, 0.0, factor) if factor > 1 else still
    slow_hz = rate_hz / factor
    duration_s = slow.size / slow_hz
    step = GRID_STEP / duration_s**2
    points = fft.next_fast_len(2 * slow.size)
    reach = min(max(int(within_hz / slow_hz * points), 4), points // 2 - 1)
    best = (-1.0, 0.0)
    for number in range(-int(within_drift / step) - 1, int(within_drift / step) + 2):
        spectrum = fft.fft(_still(slow, slow_hz, 0.0, number * step), points)
        near = np.concatenate([spectrum[points - reach :], spectrum[: reach + 1]])
        height = float(np.max(near.real**2 + near.imag**2))
        if height > best[0]:
            best = (height, number * step)
    return best[1]


def _row_bin_hz(count: int, rate_hz: float, max_drift: float) -> float:
    """Bin width of a row: the fastest drift moves r T during T seconds, half a bin 0.5 / T."""
    duration_s = count / rate_hz
    row_s = min((ROW_DRIFT_BINS / max_drift) ** 0.5, duration_s / MIN_ROWS)
    return float(1.0 / max(row_s, duration_s / MAX_ROWS))


def _track(narrow: Complex, rate_hz: float, within_hz: float, max_drift: float) -> tuple[float, float]:
    """Find the strongest straight track: its frequency at the middle and its rate, to a fraction of a row's bin."""
    from scipy import fft

    row = round(rate_hz / _row_bin_hz(narrow.size, rate_hz, max_drift))
    rows = narrow.size // row
    if rows < MIN_ROWS:
        raise BadSamples("the block is too short to tell a drift: measure longer")
    points = fft.next_fast_len(2 * row)
    spectra = fft.fftshift(fft.fft(narrow[: rows * row].reshape(rows, row), points, axis=1), axes=1)
    power = spectra.real**2 + spectra.imag**2
    bin_hz, middle = rate_hz / points, points // 2
    reach = min(int(within_hz / bin_hz), middle - 1)
    row_s, span_s = row / rate_hz, (rows - 1) * row / rate_hz
    best = (-1.0, 0.0, 0.0)
    # From one rate to the next the track's ends move by half a point.
    limit = int(max_drift * span_s / bin_hz) + 1
    away = (np.arange(rows) - (rows - 1) / 2) * row_s
    for step in range(-limit, limit + 1):
        drift = step * bin_hz / span_s
        shifts = np.rint(away * drift / bin_hz).astype(int)
        total = np.zeros(2 * reach + 1)
        for line, shift in zip(power, shifts, strict=True):
            low = middle - reach + shift
            first, last = max(low, 0), min(low + 2 * reach + 1, points)
            # A track may leave the range of this row.
            if first < last:
                total[first - low : last - low] += line[first:last]
        at = int(np.argmax(total))
        if total[at] > best[0]:
            best = (float(total[at]), (at - reach) * bin_hz, drift)
    # The rows start with the block, so the unused samples at its end shift the middle.
    late_s = (narrow.size - rows * row) / 2 / rate_hz
    return best[1] + best[2] * late_s, best[2]
