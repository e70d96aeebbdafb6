"""Spurious signals to expect in a measured span: centre spike, mirrors of strong lines, oscillator leaks."""

from collections.abc import Sequence
from math import ceil, floor

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.yard.frequency_conversion import Stage

# Without a measurement assume the worse end of simple tuners, 30 to 45 dB.
USUAL_MIRROR_DB = 35.0
# Report mirrors only of lines this far above the span's median, at most this many, away from the centre and the edges.
STRONG_LINE_OVER_FLOOR_DB, MAX_LINES, SPIKE_HZ, USABLE_HALF_SPAN = 20.0, 6, 3_000.0, 0.45
# Ignore higher harmonics of a converter's oscillator.
MAX_HARMONICS = 4


class Expected(msgspec.Struct, frozen=True):
    """An expected spurious signal: its frequency at the receiver, its kind, its cause and its source line."""

    counted_hz: float
    name: str
    formula: str
    level_dbfs: float | None = None
    made_of_hz: float | None = None


def standing_lines(
    mean_db: NDArray[np.float32], centre_hz: float, rate_hz: float
) -> tuple[tuple[tuple[float, float], ...], float]:
    """Strongest lines of a span, (counted_hz, level_dbfs) each, and its floor, dB.

    mean_db : shape (bins,), low end first, dB relative to full scale.
    """
    count = mean_db.size
    away_hz = rate_hz * ((np.arange(count) + 0.5) / count - 0.5)
    floor_db = float(np.median(mean_db))
    tops = np.zeros(count, bool)
    tops[1:-1] = (mean_db[1:-1] >= mean_db[:-2]) & (mean_db[1:-1] > mean_db[2:])
    tops &= (
        (np.abs(away_hz) > SPIKE_HZ)
        & (np.abs(away_hz) < USABLE_HALF_SPAN * rate_hz)
        & (mean_db > floor_db + STRONG_LINE_OVER_FLOOR_DB)
    )
    line_bins = sorted(np.flatnonzero(tops).tolist(), key=lambda i: -float(mean_db[i]))[:MAX_LINES]
    return tuple((centre_hz + float(away_hz[i]), float(mean_db[i])) for i in line_bins), floor_db


def expected_ghosts(
    centre_hz: float,
    rate_hz: float,
    lines: Sequence[tuple[float, float]],
    floor_dbfs: float,
    mirror_db: float | None = None,
    crystal_hz: float = 0.0,
    converters: Sequence[tuple[str, Stage]] = (),
) -> tuple[Expected, ...]:
    """List the spurious signals to expect, low frequency first.

    Parameters
    ----------
    centre_hz, rate_hz : float
        Of the span, as the receiver counts.
    lines : sequence of (counted_hz, level_dbfs)
        Lines that stand out; each has a mirror at the same distance beyond the centre.
    floor_dbfs : float
        Below this a mirror drowns.
    mirror_db : float, optional
        Measured rejection of mirrors; 35 dB is expected otherwise.
    crystal_hz : float
        The receiver's crystal: its harmonics k X stand still in its own counting.
    converters : sequence of (name, stage)
        Converters of the route: their oscillators leak through, and twice, three and four times them.
    """
    low, high = centre_hz - rate_hz / 2, centre_hz + rate_hz / 2
    expected = [Expected(centre_hz, "centre's spike", "f = f_c")]
    down_db = USUAL_MIRROR_DB if mirror_db is None else mirror_db
    for counted_hz, level_dbfs in lines:
        if level_dbfs - down_db > floor_dbfs and counted_hz != centre_hz:
            mirror_hz = 2 * centre_hz - counted_hz
            expected.append(Expected(mirror_hz, "mirror", "f = 2 f_c − f_1", level_dbfs - down_db, counted_hz))
    if crystal_hz > 0:
        for k in range(max(ceil(low / crystal_hz), 1), floor(high / crystal_hz) + 1):
            expected.append(Expected(k * crystal_hz, f"{k} × crystal", f"f = {k} X"))
    for name, stage in converters:
        for k in range(1, MAX_HARMONICS + 1):
            if low <= k * stage.lo_hz <= high:
                expected.append(Expected(k * stage.lo_hz, f"{name}'s oscillator", f"f = {k} L" if k > 1 else "f = L"))
    return tuple(
        sorted((ghost for ghost in expected if low <= ghost.counted_hz <= high), key=lambda ghost: ghost.counted_hz)
    )
