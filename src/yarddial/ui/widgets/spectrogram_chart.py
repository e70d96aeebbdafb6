"""The pen recorder: frequency up, time to the right, the spectrum as a profile on the right margin."""

from functools import lru_cache
from typing import cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.axis import nice_step, tick_text
from yarddial.ui.widgets.traces import PlotTrace

# Number of columns kept; at ten a second more than the widest window shows.
MAX_COLUMNS = 2400
# The floor is drawn this far above the ramp's foot; a line this far above the floor is full ink.
FOOT_DB, MIN_RANGE_DB = 3.0, 26.0
# Rise of the tracked floor, dB per column.
FLOOR_RISES_DB = 0.1
# Columns between updates of the ramp's range.
COLUMNS_A_RANGE = 10
# Columns averaged for the profile: the last three seconds.
PROFILE_COLUMNS = 30


class SpectrogramChart(QWidget):
    """Draws columns of levels, the middle, and the expected position of the line."""

    SCALE_WIDTH = 58

    def __init__(self) -> None:
        super().__init__()
        self._levels: NDArray[np.float32] = np.empty((0, 0), np.float32)
        self._count = 0
        self._half_span_hz = 100.0
        self._column_s = 0.1
        self._low_db, self._high_db = -120.0, -80.0
        self._image = QImage()
        self._pixels: NDArray[np.uint32] = np.empty((0, 0), np.uint32)
        self._coloured = 0
        self._palette_name = ""
        self._ranged = 0
        self._profile, self._peak, self._floor = PlotTrace(), PlotTrace(), PlotTrace()
        self.peak_db = self.floor_db = np.empty(0, np.float32)
        self.keeps_extremes = False
        # Manual ends of the ramp; None for automatic.
        self._by_hand: tuple[float, float] | None = None
        self._expected: tuple[float, float] | None = None
        self.zero_label = ""
        self.empty_text = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Pen recorder: frequency upwards, time to the right")

    def sizeHint(self) -> QSize:
        """As on the first window."""
        return QSize(px(640), px(330))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(126))

    def scale(self, ends_db: tuple[float, float] | None) -> None:
        """Set the ramp from lightest to darkest, dB; None for automatic."""
        self._by_hand, self._low_db = ends_db, np.nan
        self.update()

    @property
    def range_db(self) -> tuple[float, float]:
        """Present ends of the ramp."""
        return self._low_db, self._high_db

    @property
    def column_count(self) -> int:
        """Columns drawn so far."""
        return self._count

    def begin(self, half_span_hz: float, column_s: float, rows: int) -> None:
        """Restart with a new picture."""
        self._half_span_hz, self._column_s = half_span_hz, column_s
        self._levels = np.full((MAX_COLUMNS, rows), np.nan, np.float32)
        self._count = self._coloured = self._ranged = 0
        self._low_db = np.nan
        self.update()

    def add(self, level_db: NDArray[np.float32]) -> None:
        """Add columns, shape (k, rows), low frequency first."""
        for column in level_db[-MAX_COLUMNS:]:
            self._levels[self._count % MAX_COLUMNS] = column
            self._count += 1
            if self.keeps_extremes:
                self._keep_extremes(column)
        self.update()

    def _keep_extremes(self, column: NDArray[np.float32]) -> None:
        """Track the maximum, and a floor that falls at once and rises slowly."""
        if self._count == 1:
            self.peak_db, self.floor_db = column.copy(), column.copy()
            return
        np.maximum(self.peak_db, column, out=self.peak_db)
        self.floor_db += np.float32(FLOOR_RISES_DB)
        np.minimum(self.floor_db, column, out=self.floor_db)

    def expect(self, offset_hz: float, sigma_hz: float) -> None:
        """Mark the expected position of the line with its uncertainty."""
        if self._expected != (offset_hz, sigma_hz):
            self._expected = (offset_hz, sigma_hz)
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw picture, axes, marks and profile."""
        painter = QPainter(self)
        c = palette()
        chart, margin = self.areas()
        painter.fillRect(chart, c.colour("card"))
        if self._count:
            self._colour(c, int(chart.width()), max(int(chart.height()), 1))
            self._blit(painter, chart)
        self._draw_axes(painter, c, chart)
        if self._count:
            self._draw_marks(painter, c, chart)
            self._draw_profile(painter, c, chart, margin)
        elif self.empty_text:
            painter.setFont(font(13))
            painter.setPen(c.colour("quiet"))
            painter.drawText(chart, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), self.empty_text)

    def areas(self) -> tuple[QRectF, QRectF]:
        left, right, bottom, top = px(self.SCALE_WIDTH), px(96), px(22), px(18)
        chart = QRectF(left, top, max(self.width() - left - right, 10), max(self.height() - bottom - top, 10))
        return chart, QRectF(chart.right() + px(8), chart.top(), right - px(12), chart.height())

    def y_of(self, chart: QRectF, offset_hz: float) -> float:
        return chart.center().y() - offset_hz / self._half_span_hz * chart.height() / 2

    def _recent(self, limit: int) -> NDArray[np.float32]:
        index = np.arange(max(self._count - limit, 0), self._count) % MAX_COLUMNS
        return self._levels[index]

    def _colour(self, c: Palette, width: int, height: int) -> None:
        """Colour new columns at the chart's height; all of them after a change of range, height or theme."""
        shown = min(self._count, width, MAX_COLUMNS)
        again = self._count - self._ranged >= COLUMNS_A_RANGE or self._count < self._ranged or np.isnan(self._low_db)
        if again and self._find_range(shown):
            self._palette_name = ""
        if self._palette_name != c.name or self._pixels.shape != (height, MAX_COLUMNS):
            self._palette_name = c.name
            self._pixels = np.zeros((height, MAX_COLUMNS), np.uint32)
            # PyQt's stub asks for bytes; passing the buffer itself keeps image and array identical.
            buffer = cast("bytes", self._pixels.data)
            self._image = QImage(buffer, MAX_COLUMNS, height, 4 * MAX_COLUMNS, QImage.Format.Format_RGB32)
            self._coloured = max(self._count - MAX_COLUMNS, 0)
        new = np.arange(self._coloured, self._count) % MAX_COLUMNS
        if new.size:
            share = (self._levels[new] - self._low_db) / (self._high_db - self._low_db)
            step = np.clip(_as_high(share, height) * 255, 0, 255).astype(np.uint8)
            self._pixels[:, new] = _ramp(c)[step].T[::-1]
        self._coloured = self._count

    def _find_range(self, shown: int) -> bool:
        """Find the ramp's ends from recent columns; True when they have changed."""
        self._ranged = self._count
        if self._by_hand is not None:
            moved = (self._low_db, self._high_db) != self._by_hand
            self._low_db, self._high_db = self._by_hand
            return moved
        # A subset of the levels is sufficient and ten times faster.
        recent = self._recent(min(shown, 300)).reshape(-1)
        recent = recent[:: max(recent.size // 8_000, 1)]
        floor = float(np.median(recent)) + FOOT_DB
        peak = max(float(np.percentile(recent, 99.7)), floor + MIN_RANGE_DB)
        if abs(floor - self._low_db) < 2 and abs(peak - self._high_db) < 4:
            return False
        self._low_db, self._high_db = floor, peak
        return True

    def _blit(self, painter: QPainter, chart: QRectF) -> None:
        """Draw the ring buffer in two pieces, the newest column at the right edge once the chart is full."""
        shown = min(self._count, int(chart.width()), MAX_COLUMNS)
        first = (self._count - shown) % MAX_COLUMNS
        ahead = min(shown, MAX_COLUMNS - first)
        left, top, height = int(chart.left()), int(chart.top()), self._image.height()
        painter.drawImage(left, top, self._image, first, 0, ahead, height)
        if shown > ahead:
            painter.drawImage(left + ahead, top, self._image, 0, 0, shown - ahead, height)

    def _draw_axes(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        small = font(11, "mono")
        painter.setFont(small)
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        ticks, unit = self._ticks(max(int(chart.height() / px(46)), 2))
        painter.setPen(c.colour("quiet"))
        for offset_hz, text in ticks:
            y = self.y_of(chart, offset_hz)
            painter.drawLine(QPointF(chart.left() - px(5), y), QPointF(chart.left(), y))
            painter.drawText(
                QRectF(0, y - px(9), chart.left() - px(8), px(18)),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                text,
            )
        painter.drawText(QRectF(0, 0, chart.left() - px(8), chart.top()), int(Qt.AlignmentFlag.AlignRight), unit)
        self._draw_seconds(painter, chart, small)

    def _ticks(self, limit: int) -> tuple[list[tuple[float, str]], str]:
        """Ticks of the frequency scale, hertz from its middle, with labels; and the unit."""
        step = nice_step(2 * self._half_span_hz, limit)
        scale, unit = (1000.0, "kHz") if self._half_span_hz >= 2000 else (1.0, "Hz")
        last = int(self._half_span_hz / step * 1.0001)
        numbers = range(-last, last + 1)
        return [(n * step, tick_text(n * step / scale, step / scale, signed=True)) for n in numbers], unit

    def _draw_seconds(self, painter: QPainter, chart: QRectF, small: QFont) -> None:
        width_s = chart.width() * self._column_s
        start_s = max(self._count - int(chart.width()), 0) * self._column_s
        step = nice_step(width_s, 6)
        tick_s = -(-start_s // step) * step
        metrics = QFontMetricsF(small)
        while tick_s <= start_s + width_s:
            x = chart.left() + (tick_s - start_s) / self._column_s
            label = f"{tick_s:g} s" if tick_s else "0 s"
            half = metrics.horizontalAdvance(label) / 2
            if x + half <= chart.right() + px(4):
                painter.drawLine(QPointF(x, chart.bottom()), QPointF(x, chart.bottom() + px(4)))
                painter.drawText(QPointF(x - half, chart.bottom() + px(17)), label)
            tick_s += step

    def _draw_marks(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.y_of(chart, 0.0)
        painter.setPen(QPen(c.colour("vermilion"), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(chart.left(), middle), QPointF(chart.right(), middle))
        if self.zero_label:
            painter.setFont(font(11))
            _label(painter, c, self.zero_label, QPointF(chart.right() - px(8), middle - px(5)), "vermilion")
        if self._expected is None:
            return
        offset_hz, sigma_hz = self._expected
        low, high = self.y_of(chart, offset_hz - 2 * sigma_hz), self.y_of(chart, offset_hz + 2 * sigma_hz)
        low, high = min(max(low, high + px(4)), chart.bottom()), max(high, chart.top())
        if high < chart.bottom() and low > chart.top():
            x = chart.right() + px(3)
            painter.setPen(QPen(c.colour("slate"), 2))
            painter.drawLine(QPointF(x, high), QPointF(x, low))

    def _draw_profile(self, painter: QPainter, c: Palette, chart: QRectF, margin: QRectF) -> None:
        """Draw the mean of the last seconds; with tracking also the maximum and the floor."""
        recent = self._recent(PROFILE_COLUMNS)
        mean_db = 10 * np.log10(np.mean(10 ** (recent * np.float32(0.1)), axis=0))
        floor = float(np.median(mean_db))
        lines = [(mean_db, self._profile, "spruce")]
        if self.keeps_extremes:
            lines = [(self.peak_db, self._peak, "slate"), (self.floor_db, self._floor, "hairline"), *lines]
        peak = max(*(float(line.max()) for line, _, _ in lines), floor + 20)
        y = chart.bottom() - (np.arange(mean_db.size) + 0.5) / mean_db.size * chart.height()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, mean_db.size <= chart.height())
        for line, trace, role in lines:
            share = np.clip((line - floor + 2) / (peak - floor + 2), 0, 1)
            painter.setPen(QPen(c.colour(role), 1))
            trace.draw(painter, margin.left() + share * (margin.width() - px(4)), y)
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        text = "3 s, highest" if self.keeps_extremes else "last 3 s"
        painter.drawText(QRectF(margin.left(), 0, margin.width(), chart.top()), text)


def _label(painter: QPainter, c: Palette, text: str, right_bottom: QPointF, role: str) -> None:
    """Draw a small label on a paper ground, so that it is readable on ink."""
    metrics = QFontMetricsF(painter.font())
    width = metrics.horizontalAdvance(text)
    box = QRectF(right_bottom.x() - width - px(4), right_bottom.y() - metrics.height(), width + px(8), metrics.height())
    painter.fillRect(box, c.colour("card", 0.82))
    painter.setPen(c.colour(role))
    painter.drawText(QPointF(right_bottom.x() - width, right_bottom.y() - metrics.descent()), text)


def _as_high(share: NDArray[np.float32], height: int) -> NDArray[np.float32]:
    """Scale columns to `height` pixels: interpolated, or the maximum of several rows."""
    rows = share.shape[1]
    if height < rows:
        edges = np.arange(height) * rows // height
        return np.asarray(np.maximum.reduceat(share, edges, axis=1), np.float32)
    place = np.clip((np.arange(height) + 0.5) * rows / height - 0.5, 0, rows - 1)
    low = np.minimum(place.astype(np.intp), max(rows - 2, 0))
    part = (place - low).astype(np.float32)
    return np.asarray(share[:, low] * (1 - part) + share[:, np.minimum(low + 1, rows - 1)] * part, np.float32)


def _ramp(c: Palette) -> NDArray[np.uint32]:
    return _shades(c.colour("card").name(), c.colour("ink").name())


@lru_cache(maxsize=4)
def _shades(card: str, ink: str) -> NDArray[np.uint32]:
    """From card to ink in 256 perceptually even steps."""
    foot, top = QColor(card), QColor(ink)
    share = np.linspace(0, 1, 256)[:, None] ** 1.15
    a = np.array([foot.red(), foot.green(), foot.blue()])
    b = np.array([top.red(), top.green(), top.blue()])
    rgb = np.rint(a + share * (b - a)).astype(np.uint32)
    ramp: NDArray[np.uint32] = (0xFF000000 | rgb[:, 0] << 16 | rgb[:, 1] << 8 | rgb[:, 2]).astype(np.uint32)
    return ramp
