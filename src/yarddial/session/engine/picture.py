"""The pen recorder's columns: a zoomed transform of the slice, not enlarged bins of a wide one."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.dsp.spectra import hann_spectra

# Transforms averaged to a column at most, where the samples of its time allow several.
MOST_AVERAGED = 16
# So weak that it only keeps the logarithm finite.
SILENCE = 1e-20


class Picture:
    """Turns slice samples into columns of `rows` levels across +-half_span_hz, one every column_s.

    Where a column's time holds more samples than one transform takes, several are averaged.
    """

    def __init__(self, rate_hz: float, half_span_hz: float, rows: int, column_s: float) -> None:
        self.half_span_hz = min(half_span_hz, 0.45 * rate_hz)
        self.column_s = column_s
        self.rows = rows
        factor = decimation_for(rate_hz, self.half_span_hz)
        self._narrow = Decimator(rate_hz, 0.0, factor)
        out_rate_hz = rate_hz / factor
        self._size = max(round(out_rate_hz * rows / (2 * self.half_span_hz)), 16)
        self._step = out_rate_hz * column_s
        self._averaged = min(max(int(self._step / self._size), 1), MOST_AVERAGED)
        self._spacing = int(self._step / self._averaged)
        self._length = (self._averaged - 1) * self._spacing + self._size
        self._first_bin = self._size // 2 - rows // 2
        self._kept = np.empty(0, np.complex64)
        self._kept_from = 0
        self.next_column = 0

    def push(self, samples: NDArray[np.complex64]) -> NDArray[np.float32]:
        """Take more slice samples; return the columns now complete, dB, shape (k, rows)."""
        self._kept = np.concatenate([self._kept, self._narrow.push(samples)])
        starts = []
        while round(self.next_column * self._step) + self._length <= self._kept_from + self._kept.size:
            starts.append(round(self.next_column * self._step) - self._kept_from)
            self.next_column += 1
        if not starts:
            return np.empty((0, self.rows), np.float32)
        places = [start + k * self._spacing for start in starts for k in range(self._averaged)]
        blocks = np.stack([self._kept[place : place + self._size] for place in places])
        drop = max(round(self.next_column * self._step) - self._kept_from, 0)
        self._kept, self._kept_from = self._kept[drop:], self._kept_from + min(drop, self._kept.size)
        level = hann_spectra(blocks)[:, self._first_bin : self._first_bin + self.rows]
        level = level.reshape(len(starts), self._averaged, self.rows).mean(axis=1)
        return np.asarray(10 * np.log10(level + SILENCE), np.float32)
