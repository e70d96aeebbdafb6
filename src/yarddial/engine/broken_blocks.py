"""Blocks with invalid samples, and blocks before which samples were lost."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Block
from yarddial.dsp.decimation import Decimator

Complex = NDArray[np.complex64]

# Longer losses are not filled with silence: nothing is left to follow.
MAX_FILLED_GAP_S = 0.5
# Full scale is 1; anything larger than this is invalid.
MAX_SAMPLE = 1e6


def finite(block: Block) -> Block:
    """Return the block with invalid samples replaced by silence, counted as lost, with a remark."""
    if np.isfinite(np.vdot(block.samples, block.samples)):
        return block
    # A sum may overflow even where no single value does.
    bad = ~np.isfinite(block.samples) | (np.abs(block.samples) > MAX_SAMPLE)
    count = int(bad.sum())
    if not count:
        return block
    remark = f"{count} samples of a block were no numbers: they count as lost; look whether the format is the true one"
    return msgspec.structs.replace(
        block, samples=np.where(bad, np.complex64(0), block.samples), lost=block.lost + count, remark=remark
    )


def narrowed(decimator: Decimator, cleaned: Complex, silent: int) -> Complex:
    """Slice of a block; counted losses before it are filled with silence, so that phase and time go on."""
    if not silent:
        return decimator.push(cleaned)
    return np.concatenate([decimator.push(np.zeros(silent, np.complex64)), decimator.push(cleaned)])
