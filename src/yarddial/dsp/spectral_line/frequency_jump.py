"""Place of a frequency jump in a record: before and after it are two records."""

import numpy as np

from yarddial.dsp.spectral_line.blocks import Blocks

# Each part has at least this share of the blocks.
MIN_PART_SHARE = 0.12
# Mean of the unit vectors of the turns from block to block, both parts together: 1 without scatter.
MIN_COHERENCE = 0.9
# The turn changes by this many sigmas of one turn, and by this many bins of the record.
MIN_CHANGE_SIGMAS, MIN_CHANGE_BINS = 1.0, 2.0


def jump_share(blocks: Blocks) -> float | None:
    """Share of the record before its one jump of frequency; None where no jump, or more than one, explains the turns.

    Blocks turn by the same angle from one to the next while the frequency stays.
    """
    turns = blocks.means[1:] * np.conj(blocks.means[:-1])
    units = turns / np.maximum(np.abs(turns), 1e-30)
    count = units.size
    before = np.cumsum(units)
    after = before[-1] - before
    together = np.abs(before) + np.abs(after)
    edge = int(MIN_PART_SHARE * count)
    at = edge + int(np.argmax(together[edge : count - edge]))
    coherence = float(together[at]) / count
    change_rad = float(np.angle(after[at] * np.conj(before[at])))
    sigma_rad = (2 * max(1 - coherence, 1e-6)) ** 0.5
    bins = abs(change_rad) / (2 * np.pi) * blocks.means.size
    if coherence < MIN_COHERENCE or abs(change_rad) < MIN_CHANGE_SIGMAS * sigma_rad or bins < MIN_CHANGE_BINS:
        return None
    return (at + 1) / count
