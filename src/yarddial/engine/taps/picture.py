"""Tap for the spectrogram: a zoomed transform of the slice, not enlarged bins of a wide one."""

from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.dsp.spectra import hann_spectra
from yarddial.engine.commands import Show
from yarddial.engine.events import Event, SpectrogramColumns
from yarddial.engine.taps.tap import ALL_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning

# Maximum number of transforms averaged per column.
MAX_AVERAGED = 16
# Lower bound that keeps the logarithm finite.
MIN_POWER = 1e-20
# Slice kept for redrawing the picture after a change of zoom.
MEMORY_S = 45.0
# 32 MB at most, whatever the slice's rate.
MEMORY_SAMPLES = 4_000_000


class Picture:
    """Convert slice samples to columns of `rows` levels across +-half_span_hz, one every column_s.

    Row i is (i + 0.5) / rows of the way from the lower end to the upper one.

    Where a column's time holds more samples than one transform takes, several are averaged.
    """

    def __init__(self, rate_hz: float, half_span_hz: float, rows: int, column_s: float) -> None:
        self.half_span_hz = min(half_span_hz, 0.45 * rate_hz)
        self.column_s = column_s
        self.rows = rows
        factor = decimation_for(rate_hz, self.half_span_hz)
        out_rate_hz = rate_hz / factor
        self._size = max(round(out_rate_hz * rows / (2 * self.half_span_hz)), 16)
        # A transform has whole bins: the span is theirs, and half a bin more puts the rows evenly about the middle.
        bin_hz = out_rate_hz / self._size
        self.half_span_hz = bin_hz * rows / 2
        self._narrow = Decimator(rate_hz, 0.5 * bin_hz, factor)
        self._step = out_rate_hz * column_s
        self._averaged = min(max(int(self._step / self._size), 1), MAX_AVERAGED)
        self._spacing = int(self._step / self._averaged)
        self._length = (self._averaged - 1) * self._spacing + self._size
        self._first_bin = self._size // 2 - rows // 2
        self._kept = np.empty(0, np.complex64)
        self._kept_from = 0
        self.next_column = 0

    def push(self, samples: NDArray[np.complex64]) -> NDArray[np.float32]:
        """Take slice samples; return completed columns, dB, shape (k, rows)."""
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
        return np.asarray(10 * np.log10(level + MIN_POWER), np.float32)


class PictureTap:
    """The engine's own spectrogram: draws the slice as `Show` asks, and remembers it for another zoom."""

    job, asked = 0, None
    survives = ALL_RESTS

    def __init__(self, report: Callable[[Event], None]) -> None:
        self._report = report
        self._show = Show(0, 100.0, 256, 0.1)
        self._tuning: Tuning | None = None
        self._picture: Picture | None = None
        self._memory: deque[NDArray[np.complex64]] = deque()
        self._remembered = 0
        self._read_s = 0.0

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Restart on another slice; nothing of the former one is drawn."""
        self._tuning = tuning
        self._memory.clear()
        self._remembered = 0
        self.show(self._show)

    def show(self, show: Show) -> None:
        """Restart the spectrogram, filled from remembered samples."""
        self._show = show
        if self._tuning is None:
            return
        self._picture = Picture(self._tuning.slice_rate_hz, show.half_span_hz, show.rows, show.column_s)
        if self._memory:
            self._draw(np.concatenate(tuple(self._memory)))

    def push(self, piece: Piece) -> bool:
        """Add a block to the spectrogram."""
        if self._tuning is not None:
            self._remember(piece.narrow, self._tuning.slice_rate_hz)
            self._read_s = piece.read_s
            self._draw(piece.narrow)
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Stop drawing."""
        self._tuning, self._picture = None, None

    def _draw(self, narrow: NDArray[np.complex64]) -> None:
        picture, tuning = self._picture, self._tuning
        if picture is None or tuning is None:
            return
        first = picture.next_column
        level_db = picture.push(narrow)
        if level_db.size:
            self._report(
                SpectrogramColumns(
                    self._show.id, first, picture.half_span_hz, picture.column_s, level_db, self._read_s, tuning.id
                )
            )  # fmt: skip

    def _remember(self, narrow: NDArray[np.complex64], slice_rate_hz: float) -> None:
        self._memory.append(narrow)
        self._remembered += narrow.size
        limit = min(int(MEMORY_S * slice_rate_hz), MEMORY_SAMPLES)
        while self._remembered - self._memory[0].size > limit:
            self._remembered -= self._memory.popleft().size
