"""Periodic tables with cubic interpolation at even times (Catmull and Rom)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray


def look_up(table: NDArray[Any], time_s: NDArray[np.float64], rate_hz: float) -> NDArray[Any]:
    """Values of a table that repeats, at rising times; real or complex as the table is.

    Parameters
    ----------
    table : ndarray, shape (k,)
        float32 or complex64; its last point is followed by its first.
    time_s : ndarray of float64, of any shape
        A few segments together: all of it within one round of the table.
    rate_hz : float
        Points of the table a second.
    """
    place = time_s * rate_hz
    first = int(np.floor(place.flat[0])) - 1
    local = _stretch(table, first, int(np.ceil(place.flat[-1])) - first + 3)
    place -= first
    index = place.astype(np.intp)
    place -= index
    t = place.astype(np.float32)
    index -= 1
    # No index is out of range; `clip` only skips the check.
    before, here, bend, twist = (local[k:].take(index, mode="clip") for k in range(4))
    # In place, since these arrays are long: rise = (p2 - p0) / 2, twist = (p3 - p0) / 2 + 3 (p1 - p2) / 2.
    rise = bend - before
    rise *= np.float32(0.5)
    twist -= before
    twist *= np.float32(0.5)
    corner = here - bend
    corner *= np.float32(1.5)
    twist += corner
    bend -= here
    bend -= rise
    bend -= twist
    for part in (bend, rise, here):
        twist *= t
        twist += part
    return twist


def _stretch(table: NDArray[Any], first: int, count: int) -> NDArray[Any]:
    """Take a number of points from an index on, wrapping around."""
    begin = first % table.size
    if begin + count <= table.size:
        return table[begin : begin + count]
    if count <= table.size:
        return np.concatenate([table[begin:], table[: begin + count - table.size]])
    return table[np.arange(begin, begin + count) % table.size]


def tones(time_s: NDArray[np.float64], hertz: NDArray[np.float64], turns: NDArray[np.float64]) -> NDArray[np.complex64]:
    """exp(2 pi i (turns + hertz t)), shape (tones, *times), rows of times even: a coarse times a fine table."""
    fine_size = 32
    points = time_s.shape[-1]
    step_s = (time_s[0, -1] - time_s[0, 0]) / (points - 1)
    start = (turns[:, None] + hertz[:, None] * time_s[:, 0]) % 1.0
    coarse = start[:, :, None] + (hertz * step_s * fine_size)[:, None, None] * np.arange(points // fine_size)
    fine = (hertz * step_s)[:, None] * np.arange(fine_size)
    left = np.exp(2j * np.pi * (coarse % 1.0)).astype(np.complex64)
    right = np.exp(2j * np.pi * fine).astype(np.complex64)
    whole: NDArray[np.complex64] = (left[:, :, :, None] * right[:, None, None, :]).reshape(hertz.size, *time_s.shape)
    return whole
