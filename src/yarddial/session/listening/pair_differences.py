"""Second against first from pairs of levels: signal, noise, and signal over noise. One rule for live and recorded."""

from collections.abc import Sequence
from statistics import fmean

import msgspec

from yarddial.analysis.comparison.difference import Difference, difference

# Relative difference of the noise in a channel and beside it: 0.2 dB.
FLOOR_SHARE = 0.05


class ChannelLevel(msgspec.Struct, frozen=True):
    """Linear powers in a channel: the signal without its noise, and the noise taken from beside it."""

    signal: float
    noise: float


class Compared(msgspec.Struct, frozen=True):
    """Second against first, in dB: signal, noise, and signal over noise."""

    signal: Difference
    noise: Difference
    over: Difference
    in_dbm: bool


def compared_pairs(
    first: Sequence[ChannelLevel],
    second: Sequence[ChannelLevel],
    bandwidth_hz: float,
    seconds_s: float,
    *,
    in_dbm: bool,
    calibration_sigma_db: float = 0.0,
) -> Compared:
    """Compare levels measured in pairs, each over a bandwidth and a time; raises BadSamples for too few pairs.

    calibration_sigma_db : how well the two level calibrations agree, one sigma; signal over noise is free of it.
    """
    # A power over B hertz and T seconds has a relative sigma of 1 / sqrt(B T).
    relative = 1 / (max(bandwidth_hz, 1.0) * seconds_s) ** 0.5
    noises = [[level.noise for level in levels] for levels in (first, second)]
    signals = [[level.signal for level in levels] for levels in (first, second)]
    ratios = [[level.signal / level.noise for level in levels] for levels in (first, second)]
    scatter = [[relative * noise for noise in levels] for levels in noises]
    # Noise in a channel and beside it agree to this share.
    off = [FLOOR_SHARE * fmean(levels) for levels in noises]
    even = [relative] * len(first)
    return Compared(
        difference(signals[0], signals[1], (scatter[0], scatter[1]), (off[0], off[1])).widened(calibration_sigma_db),
        difference(noises[0], noises[1]).widened(calibration_sigma_db),
        difference(ratios[0], ratios[1], (even, even), (FLOOR_SHARE, FLOOR_SHARE)),
        in_dbm,
    )
