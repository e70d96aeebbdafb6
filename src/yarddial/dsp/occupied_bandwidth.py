"""Occupied bandwidth of a transmission: for 99 % of its power, and down to -26 dB.

Half a percent of the mean power is beyond either edge of the occupied bandwidth (ITU-R SM.328, Radio Regulations
1.153); the x-dB bandwidth lies between the outermost places whose density is x dB below the peak (ITU-R SM.443).
"""

import msgspec
import numpy as np
from numpy.typing import NDArray

SHARE_BEYOND = 0.005
X_DB = 26.0
# A row must exceed the floor by this much to count as signal.
CLEAR_DB = 6.0
# Widening of a line by the Hann window at -26 dB, in rows to either side.
SPREAD_ROWS = 1.0


class OccupiedBandwidth(msgspec.Struct, frozen=True):
    """Edges in hertz relative to the rows' reference; `row_hz` is the resolution.

    low_hz, high_hz : 99 % of the power is between them.
    down_low_hz, down_high_hz : beyond them the density is more than 26 dB below the peak; None where noise hides that.
    over_floor_db : peak over the noise floor.
    """

    low_hz: float
    high_hz: float
    down_low_hz: float | None
    down_high_hz: float | None
    row_hz: float
    over_floor_db: float

    @property
    def width_hz(self) -> float:
        """Bandwidth that holds 99 % of the power."""
        return self.high_hz - self.low_hz

    @property
    def down_width_hz(self) -> float | None:
        """Width between the -26 dB edges, hertz."""
        return None if self.down_low_hz is None or self.down_high_hz is None else self.down_high_hz - self.down_low_hz


def occupied_bandwidth(
    columns_db: NDArray[np.float32], row_hz: float, middle_hz: float = 0.0
) -> OccupiedBandwidth | None:
    """Measure from spectrogram columns, dB, shape (columns, rows), low frequency first, the middle row at middle_hz.

    Power is averaged over the columns, and the floor (mean of the quieter quarter of rows) is subtracted. None where
    nothing stands out.
    """
    power = (10 ** (columns_db.astype(np.float64) / 10)).mean(axis=0)
    quiet = np.sort(power)[: max(power.size // 4, 1)]
    floor = float(quiet.mean())
    peak = float(power.max())
    over_db = 10 * np.log10(peak / max(floor, 1e-30))
    if over_db < CLEAR_DB:
        return None
    # Power near the floor counts as noise; summed over many rows it would pass for signal.
    clear = np.where(power > floor * 10 ** (CLEAR_DB / 10), power - floor, 0.0)
    places_hz = middle_hz + (np.arange(power.size) - power.size / 2) * row_hz
    edges_hz = np.concatenate([places_hz - row_hz / 2, [places_hz[-1] + row_hz / 2]])
    running = np.concatenate([[0.0], np.cumsum(clear)]) / clear.sum()
    low_hz, high_hz = np.interp([SHARE_BEYOND, 1 - SHARE_BEYOND], running, edges_hz)
    down: tuple[float, float] | None = None
    if over_db > X_DB + CLEAR_DB:
        there = np.flatnonzero(power >= peak * 10 ** (-X_DB / 10))
        narrower_hz = min(SPREAD_ROWS, (there[-1] - there[0]) / 2) * row_hz
        down = (float(places_hz[there[0]]) + narrower_hz, float(places_hz[there[-1]]) - narrower_hz)
    return OccupiedBandwidth(
        float(low_hz), float(high_hz), down[0] if down else None, down[1] if down else None, row_hz, float(over_db)
    )
