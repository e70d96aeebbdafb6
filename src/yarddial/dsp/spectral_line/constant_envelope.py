"""Detection of shifted and hopping signals: the level of the whole stays while the line holds only a part of it."""

import numpy as np

from yarddial.dsp.spectral_line.blocks import Blocks, Record

# Power of the slice over its noise that shows the envelope, and how little the envelope varies beyond the noise.
MIN_SNR, MAX_EXCESS_VARIANCE = 3.0, 0.2
# A line that holds less than this share of a constant envelope is one of several places of one signal.
MIN_LINE_SHARE = 0.6
# Power within this distance belongs to a line that wanders or warms up.
LINE_REACH_HZ, LINE_REACH_BINS = 10.0, 8.0
# Blocks in which the line's beginning and end are counted.
SWITCH_BLOCKS = 48


def is_part_of_constant_envelope(record: Record, hertz: float, drift_hz_per_s: float, density: float) -> bool:
    """Return True when the slice is one signal of constant level, of which the line is only a part.

    hertz, drift_hz_per_s : of the line, from the slice's middle. density : noise power per hertz.
    """
    power = np.abs(record.narrow) ** 2
    noise = density * min(2 * record.clean_hz, record.rate_hz)
    signal = float(np.mean(power)) - noise
    if signal < MIN_SNR * noise:
        return False
    # |s + n|^2 has the variance n^2 + 2 s n for a constant s; the filter's edge leaves a little more.
    excess = float(np.var(power)) - noise**2 - 2 * signal * noise
    if excess > MAX_EXCESS_VARIANCE * signal**2:
        return False
    # Measured, because what a model claims as its line may lie beside it.
    return _power_near(record, hertz, drift_hz_per_s) < MIN_LINE_SHARE * signal


def _power_near(record: Record, hertz: float, drift_hz_per_s: float) -> float:
    """Power within reach of a line whose drift is removed."""
    from scipy import fft

    still = record.still(hertz, drift_hz_per_s)
    some = still[: fft.prev_fast_len(still.size)]
    power = np.abs(fft.fft(some)) ** 2 / some.size**2
    reach_hz = max(LINE_REACH_HZ, LINE_REACH_BINS * record.rate_hz / some.size)
    return float(np.sum(power[np.abs(fft.fftfreq(some.size, 1 / record.rate_hz)) <= reach_hz]))


def switches(blocks: Blocks) -> int:
    """How often the line at zero begins or ends within the record."""
    size = np.abs(blocks.condensed(SWITCH_BLOCKS).means)
    is_on = size > 0.5 * float(np.percentile(size, 90))
    return int(np.count_nonzero(is_on[1:] != is_on[:-1]))
