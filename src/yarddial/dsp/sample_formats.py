"""Sample formats: interleaved I and Q in one of four encodings, to and from complex64."""

import numpy as np
from numpy.typing import NDArray

# By name: numpy type of one component, value of zero, value of full scale.
FORMATS: dict[str, tuple[str, float, float]] = {
    "cu8": ("u1", 127.5, 127.5),
    "cs8": ("i1", 0.0, 128.0),
    "cs16": ("<i2", 0.0, 32768.0),
    "cf32": ("<f4", 0.0, 1.0),
}
# Components converted at once.
PIECE_VALUES = 1 << 16
BITS = {"cu8": 8, "cs8": 8, "cs16": 16, "cf32": 24}


def sample_bytes(sample_format: str) -> int:
    """Bytes of one complex sample."""
    return 2 * np.dtype(FORMATS[sample_format][0]).itemsize


def as_complex(parts: NDArray[np.generic], sample_format: str) -> NDArray[np.complex64]:
    """Interleaved parts as complex64, full scale 1.0.

    Parameters
    ----------
    parts : ndarray, shape (2 n,)
        I, Q, I, Q... in the format's own type.
    sample_format : {"cu8", "cs8", "cs16", "cf32"}

    Returns
    -------
    ndarray of complex64, shape (n,)
    """
    _, zero, full = FORMATS[sample_format]
    values = np.empty(parts.size, np.float32)
    # Convert in pieces that stay in the processor's cache.
    for first in range(0, parts.size, PIECE_VALUES):
        piece = values[first : first + PIECE_VALUES]
        np.copyto(piece, parts[first : first + PIECE_VALUES], casting="unsafe")
        if zero or full != 1.0:
            piece -= np.float32(zero)
            piece *= np.float32(1 / full)
    return values.view(np.complex64)
