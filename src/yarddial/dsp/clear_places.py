"""Clear gaps between stations: parts of a spectrogram that stayed empty."""

import numpy as np
from numpy.typing import NDArray

# Columns averaged together: one second, in which a voice or key is heard at least once.
COLUMNS_A_MEAN = 10
# A channel is busy when its mean exceeds the floor by this much.
BUSY_DB = 6.0
# Assume that at least this share of the rows is quiet.
QUIET_SHARE = 0.25


def clear_stretches(
    columns_db: NDArray[np.float32], row_hz: float, low_hz: float, width_hz: float
) -> tuple[tuple[float, float], ...]:
    """Find gaps at least width_hz wide in which no second was busy, rising.

    columns_db : dB, shape (columns, rows), frequency rising along the rows, the first at low_hz. The result is empty
    where the rows are too wide, or before one second has passed.
    """
    count = columns_db.shape[0] // COLUMNS_A_MEAN
    if not count or row_hz > width_hz / 3:
        return ()
    power = 10 ** (columns_db[-count * COLUMNS_A_MEAN :].astype(np.float64) / 10)
    seconds = power.reshape(count, COLUMNS_A_MEAN, -1).mean(axis=1)
    floor = np.quantile(seconds.mean(axis=0), QUIET_SHARE)
    busy = (seconds > floor * 10 ** (BUSY_DB / 10)).any(axis=0)
    edges = np.flatnonzero(np.diff(np.concatenate([[1], busy.astype(np.int8), [1]])))
    places = [(low_hz + row_hz * (first - 0.5), low_hz + row_hz * (last - 0.5)) for first, last in edges.reshape(-1, 2)]
    return tuple((float(first), float(last)) for first, last in places if last - first >= width_hz)


def next_clear(
    gaps: tuple[tuple[float, float], ...], dial_hz: float, edges_hz: tuple[float, float], direction: int, step_hz: float
) -> float | None:
    """Next dial frequency, up (+1) or down (-1), whose whole channel is in a gap; None without one.

    edges_hz : of the channel relative to the dial. The result is a whole number of steps and starts at the near edge of
    a gap; from within a gap it goes on to the next one.
    """
    low_hz, high_hz = edges_hz
    able: list[tuple[float, float]] = []
    for first_hz, last_hz in gaps:
        low, high = np.ceil((first_hz - low_hz) / step_hz) * step_hz, np.floor((last_hz - high_hz) / step_hz) * step_hz
        if low <= high:
            able.append((float(low), float(high)))
    if direction > 0:
        return next((low for low, _ in sorted(able) if low > dial_hz), None)
    return next((high for _, high in sorted(able, reverse=True) if high < dial_hz), None)
