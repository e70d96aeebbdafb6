"""A steady carrier in a record with many gaps that nobody reported: the phase steps at each, the slope stays."""

from itertools import pairwise

import numpy as np

from yarddial.dsp.spectral_line.blocks import MIN_BLOCKS, Blocks
from yarddial.dsp.spectral_line.explanation import Explanation

# Power over noise of a block whose phase can be followed; blocks are joined until they have it.
MIN_BLOCK_SNR = 10.0
# A step of the phase stands out of the noise of two neighbours by this many sigmas.
STEP_SIGMAS = 4.5
# Fewer gaps than this are left to the search for single breaks; more than this share of the blocks are no gaps.
MIN_GAPS, MAX_GAP_SHARE = 3, 0.25
# Share of the blocks in whole pieces: a signal that is elsewhere for the rest is keyed.
MIN_USED_SHARE = 0.5
# A piece between two gaps needs this many blocks, without those beside a gap that the filter has mixed.
MIN_PIECE_BLOCKS, GUARD_BLOCKS = 2, 1
# Steps that hide in the noise and blocks that are partly lost widen the uncertainty by this factor.
MODEL_ERROR_FACTOR = 1.6
# Prior probability of so broken a record.
MANY_GAPS_PRIOR = 0.02


def explain_gaps(blocks: Blocks) -> Explanation | None:
    """Explain by a steady carrier in many pieces, each with a phase of its own; None where there are few or no steps.

    The slope common to all pieces is the frequency; its variance follows from least squares with one phase a piece.
    """
    per_block = blocks.energy / blocks.means.size
    few = blocks if per_block > MIN_BLOCK_SNR else blocks.condensed(int(blocks.energy / MIN_BLOCK_SNR) or 1)
    count = few.means.size
    if count < MIN_BLOCKS // 4:
        return None
    level = float(np.median(np.abs(few.means)))
    turns = np.angle(few.means[1:] * np.conj(few.means[:-1]))
    turns = np.angle(np.exp(1j * (turns - np.median(turns)))) + np.median(turns)
    steps = np.abs(turns - np.median(turns)) > STEP_SIGMAS / level
    # A block between two steps holds a gap itself.
    edges = np.flatnonzero(np.diff(np.concatenate([[False], steps, [False]]).astype(int)) == 1)
    if not MIN_GAPS <= edges.size <= MAX_GAP_SHARE * count:
        return None
    pieces = _pieces(steps)
    weight = square = product = hidden = 0.0
    used = 0
    # A smaller step than this is not seen; in so large a share of the gaps it happens to be.
    unseen_rad = STEP_SIGMAS / level
    for first, last in pieces:
        time_s = few.time_s[first:last]
        phase = np.concatenate([[0.0], np.cumsum(turns[first : last - 1])])
        time_s, phase = time_s - time_s.mean(), phase - phase.mean()
        weight += (own := float(time_s @ time_s))
        # A step in the middle of a piece of length L moves its slope by 3 / (2 L).
        hidden += (own * 1.5 / ((last - first) * few.block_s)) ** 2
        product += float(time_s @ phase)
        square += float(phase @ phase)
        used += last - first
    if used < MIN_USED_SHARE * count:
        return None
    slope = product / weight
    left = level**2 * (square - product**2 / weight)
    sizes = np.abs(few.means[np.concatenate([np.arange(first, last) for first, last in pieces])])
    along = float(np.sum((sizes - level) ** 2))
    hidden *= edges.size / len(pieces) * min(unseen_rad / np.pi, 1.0) * unseen_rad**2 / 3
    variance = MODEL_ERROR_FACTOR**2 * (0.5 / level**2 / weight + hidden / weight**2) / (2 * np.pi) ** 2
    # Each gap may be at any block, and its phase may be anything, as a block with a gap in it may be. Those beside it
    # follow their pieces.
    free_blocks = max(count - used - 2 * GUARD_BLOCKS * len(pieces), 0)
    price = edges.size * np.log(count) + (len(pieces) + free_blocks) * np.log(max(np.sqrt(np.pi) * level, 1.0))
    log = few.energy - along - left - price + np.log(MANY_GAPS_PRIOR) - np.log(MIN_BLOCKS)
    log += 0.5 * np.log(2 * np.pi * variance)
    freedom = max(2 * used - len(pieces) - 2, 2)
    return Explanation(
        "broken", float(log), slope / (2 * np.pi), variance, 2 * (left + along) / freedom, freedom,
        changes=int(edges.size), signal=count * level**2,
    )  # fmt: skip


def _pieces(steps: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> list[tuple[int, int]]:
    """First and last block, exclusive, of each run without a step between neighbours."""
    bounds = np.flatnonzero(np.concatenate([[True], steps, [True]]))
    return [
        (int(first) + GUARD_BLOCKS, int(last) - GUARD_BLOCKS)
        for first, last in pairwise(bounds)
        if last - first >= MIN_PIECE_BLOCKS + 2 * GUARD_BLOCKS
    ]
