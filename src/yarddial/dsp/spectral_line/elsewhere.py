"""Detection of broad signals: keyed data and voices have only peaks of a broad spectrum, no line of their own."""

import numpy as np

from yarddial.dsp.spectral_line.blocks import Record

# Within this distance energy belongs to the line itself.
OWN_HZ, OWN_SPREADS, OWN_BINS = 3.0, 4.0, 8.0
# Take the noise as the median of pieces of this width, so that other lines do not disturb it.
PIECE_HZ, PIECE_BINS = 4.0, 16
# Noise alone does not exceed its expected sum by this many sigmas.
MIN_EXCESS_SIGMAS = 6.0
# A fading line leaves less than this share of its power beside it.
MAX_BESIDE_FADING = 0.3
# A peak is a line if it stands this far above its surroundings, which are measured in these bins on both sides.
MIN_PEAK_DB, SURROUNDING_BINS = 15.0, (12, 48)


def is_mostly_elsewhere(
    record: Record,
    hertz: float,
    drift_hz_per_s: float,
    spread_hz: float,
    signal: float,
    density: float,
    within_hz: float,
    *,
    moves: bool = False,
) -> bool:
    """Return True when the broad signal holds more power than the line, and the line is only a peak of it.

    Parameters
    ----------
    record : Record
        The record in which the line was found.
    hertz, drift_hz_per_s, spread_hz : float
        Frequency and drift of the line relative to the slice's middle; its Doppler spread, 0 for a steady line.
    signal : float
        The line's energy over the noise density.
    density : float
        Noise power per hertz.
    within_hz : float
        Half width of the search around the slice's middle.
    moves : bool
        The line wanders, jumps or is broken: its energy is not all at its mean frequency.
    """
    from scipy import fft

    still = record.still(hertz, drift_hz_per_s)
    some = still[: fft.prev_fast_len(still.size)]
    window = np.hanning(some.size).astype(np.float32) * np.float32((8 / 3) ** 0.5)
    spectrum = fft.fft(some * window)
    power = (spectrum.real**2 + spectrum.imag**2) / (some.size * record.rate_hz * max(density, 1e-40))
    bin_hz = record.rate_hz / some.size
    away_hz = fft.fftfreq(some.size, 1 / record.rate_hz)
    own_hz = max(OWN_HZ, OWN_SPREADS * spread_hz, OWN_BINS * bin_hz)
    reach_hz = min(within_hz, record.clean_hz)
    order = np.argsort(away_hz)
    seen = order[(np.abs(away_hz[order]) > own_hz) & (np.abs(away_hz[order] + hertz) < reach_hz)]
    size = max(int(PIECE_HZ / bin_hz), PIECE_BINS)
    pieces = seen.size // size
    if not pieces:
        return False
    if not moves:
        # What a model claims as its line may lie beside it.
        signal = min(signal, float(np.sum(power[np.abs(away_hz) <= own_hz] - 1.0)))
    medians = np.median(power[seen[: pieces * size]].reshape(pieces, size), axis=1) / np.log(2)
    elsewhere = float(np.sum(medians - 1.0)) * size
    share = MAX_BESIDE_FADING if spread_hz > 0 else 1.0
    if elsewhere < max(share * signal, MIN_EXCESS_SIGMAS * 1.5 * (pieces * size) ** 0.5):
        return False
    bins = np.abs(away_hz) / bin_hz
    beside = float(np.median(power[(bins >= SURROUNDING_BINS[0]) & (bins <= SURROUNDING_BINS[1])]) / np.log(2))
    return spread_hz > 0 or signal < 10 ** (MIN_PEAK_DB / 10) * max(beside, 1.0)
