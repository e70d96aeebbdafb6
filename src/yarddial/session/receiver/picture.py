"""Spectrogram around the dial and spectrum of the whole span, as received."""

from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import Show
from yarddial.engine.events import Event, SpanSpectrum, SpectrogramColumns
from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.listeners import Listener, Listeners

PICTURE_ROWS = 300
COLUMN_S = 0.1
# Selectable half spans of the picture, hertz: steps that people can read.
DIAL_HALF_SPANS_HZ = (10.0, 30.0, 100.0, 300.0, 1_000.0, 3_000.0, 10_000.0, 30_000.0)
# Number of columns that show the present state.
RECENT_COLUMNS = 20
# Columns kept for late readers, and columns queued for a widget with its own picture.
KEPT_COLUMNS, WAITING_COLUMNS = 100, 600


class DialColumns(msgspec.Struct, frozen=True):
    """New columns for the recorder: levels in dB relative to full scale, dial frequency rising along axis 1.

    tuning : id of the tuning on which they were received.
    """

    picture_id: int
    first: int
    half_span_hz: float
    column_s: float
    level_db: NDArray[np.float32]
    tuning: int = 0


class ReceiverPicture:
    """Keeps what was received on the tuning in force, and drops the rest.

    is_current : tells whether a tuning's id belongs to the latest request.
    """

    def __init__(self, jobs: Scheduler, is_current: Callable[[int], bool]) -> None:
        self._jobs, self._is_current = jobs, is_current
        self._spectrogram_moved, self._span_moved = Listeners(), Listeners()
        self._show = Show(0, 3_000.0, PICTURE_ROWS, COLUMN_S)
        # +1 where the dial rises with the receiver's count, else -1.
        self.sense = 1
        self.read_s = 0.0
        self.span: SpanSpectrum | None = None
        self.dial_columns: list[DialColumns] = []
        self._recent: list[NDArray[np.float32]] = []
        self._recent_half_hz = 0.0

    @property
    def half_span_hz(self) -> float:
        """Half span of the picture, hertz."""
        return self._show.half_span_hz

    def on_spectrogram_moved(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for new columns in `dial_columns`, and for a restarted picture."""
        return self._spectrogram_moved.add(listener)

    def on_span_moved(self, listener: Listener) -> Callable[[], None]:
        """Register a listener for a new spectrum in `span`."""
        return self._span_moved.add(listener)

    def recent(self) -> tuple[NDArray[np.float32], float]:
        """Mean of the latest columns, dB, dial frequency rising; and their half span, hertz."""
        if not self._recent:
            return np.empty(0, np.float32), self.half_span_hz
        return np.mean(self._recent[-RECENT_COLUMNS:], axis=0), self._recent_half_hz

    def recent_columns(self, limit: int = KEPT_COLUMNS) -> NDArray[np.float32]:
        """Latest columns, dB, shape (columns, rows), dial frequency rising; empty before the first."""
        return np.stack(self._recent[-limit:]) if self._recent else np.empty((0, 0), np.float32)

    def show(self, half_span_hz: float) -> None:
        """Set the width of the picture."""
        if half_span_hz != self._show.half_span_hz:
            self._show = msgspec.structs.replace(self._show, half_span_hz=half_span_hz)
            self.begin()

    def begin(self) -> None:
        """Restart the picture."""
        self._show = msgspec.structs.replace(self._show, id=self._jobs.next_number())
        self._jobs.command(self._show)
        self.dial_columns, self._recent = [], []
        self._spectrogram_moved.tell()

    def take(self, event: Event) -> None:
        """Take an event from the engine."""
        match event:
            case SpanSpectrum() if self._is_current(event.tuning):
                self.span = event
                self._span_moved.tell()
            case SpectrogramColumns() if event.id == self._show.id and self._is_current(event.tuning):
                self._take_columns(event)
            case _:
                pass

    def _take_columns(self, event: SpectrogramColumns) -> None:
        self.read_s = event.read_s
        level_db = event.level_db if self.sense > 0 else event.level_db[:, ::-1]
        columns = DialColumns(event.id, event.first, event.half_span_hz, event.column_s, level_db, event.tuning)
        # The widget keeps its own picture and takes only new columns; one minute is all that can be shown.
        self.dial_columns = [*self.dial_columns, columns][-WAITING_COLUMNS:]
        self._recent = [*self._recent, *level_db][-KEPT_COLUMNS:]
        self._recent_half_hz = event.half_span_hz
        self._spectrogram_moved.tell()


def row_places_hz(rows: int, half_span_hz: float) -> NDArray[np.float64]:
    """Middle of each row of the picture, from its own middle, hertz; lowest first."""
    return half_span_hz * ((2 * np.arange(rows) + 1) / rows - 1)


def next_half_span_hz(now_hz: float, steps: int, able_hz: Sequence[float]) -> float:
    """Selectable half span a number of steps wider (+) or narrower (-) than the present one."""
    nearest = min(range(len(able_hz)), key=lambda i: abs(able_hz[i] - now_hz))
    return able_hz[min(max(nearest + steps, 0), len(able_hz) - 1)]
