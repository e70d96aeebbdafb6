"""History of an oscillator: measured errors over months with their sigmas, and the forecast."""

from collections.abc import Callable
from datetime import UTC, datetime

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.stability.track import Point
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import scale_up

DAY_S = 86_400.0
# Dates written along the scale, at most.
MAX_DATES = 7


class HistoryPicture(QWidget):
    """Time to the right, parts per million up; today is a vertical line, corrections are short marks below."""

    def __init__(self) -> None:
        super().__init__()
        self._points: tuple[Point, ...] = ()
        self._ahead: tuple[Point, ...] = ()
        self._corrected_s: tuple[float, ...] = ()
        self._now_s = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Error of the oscillator over months")

    def sizeHint(self) -> QSize:
        """As on the first sheet."""
        return QSize(px(680), px(260))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(320), px(150))

    def show_history(
        self, points: tuple[Point, ...], ahead: tuple[Point, ...], corrected_s: tuple[float, ...], now_s: float
    ) -> None:
        """Show measurements, the forecast with its uncertainty, and times of corrections."""
        self._points, self._ahead, self._corrected_s, self._now_s = points, ahead, corrected_s, now_s
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the band, the points with their uncertainties, today."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(78), px(14), self.width() - px(92), self.height() - px(40))
        painter.fillRect(chart, c.colour("card"))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        if not self._points:
            painter.setPen(c.colour("quiet"))
            painter.setFont(font(12))
            painter.drawText(chart, int(Qt.AlignmentFlag.AlignCenter), "Nothing in the log yet")
            return
        shown = (*self._points, *self._ahead)
        first_s, last_s = shown[0].time_s, max(point.time_s for point in shown)
        room_s = max(0.03 * (last_s - first_s), DAY_S / 4)
        first_s, last_s = first_s - room_s, last_s + room_s
        low = min(point.ppm - 1.3 * point.sigma_ppm for point in shown)
        high = max(point.ppm + 1.3 * point.sigma_ppm for point in shown)
        high, low = max(high, low + 0.02), min(low, high - 0.02)

        def at(time_s: float, ppm: float) -> QPointF:
            return QPointF(
                chart.left() + (time_s - first_s) / (last_s - first_s) * chart.width(),
                chart.bottom() - (ppm - low) / (high - low) * chart.height(),
            )

        scale_up(painter, c, chart, (low, high), "ppm")
        self._draw_dates(painter, c, chart, first_s, last_s)
        self._draw_ahead(painter, c, at)
        self._draw_moments(painter, c, chart, (first_s, last_s), lambda time_s: at(time_s, low).x())
        painter.setPen(QPen(c.colour("slate"), 1.5))
        for point in self._points:
            ends = [at(point.time_s, point.ppm + side * point.sigma_ppm) for side in (-1, 1)]
            painter.drawLine(*ends)
            for end in ends:
                painter.drawLine(end - QPointF(px(4), 0), end + QPointF(px(4), 0))
        painter.setBrush(c.colour("slate"))
        painter.setPen(Qt.PenStyle.NoPen)
        for point in self._points:
            painter.drawEllipse(at(point.time_s, point.ppm), px(3), px(3))

    def _draw_dates(self, painter: QPainter, c: Palette, chart: QRectF, first_s: float, last_s: float) -> None:
        painter.setFont(font(11, "mono"))
        painter.setPen(c.colour("quiet"))
        for day in even_dates(first_s, last_s):
            share = (day.timestamp() - first_s) / (last_s - first_s)
            if not 0.03 < share < 0.97:
                continue
            text = day.strftime("%b %Y" if day.day == 1 and last_s - first_s > 60 * DAY_S else "%d %b")
            x = chart.left() + share * chart.width()
            painter.drawLine(QPointF(x, chart.bottom()), QPointF(x, chart.bottom() + px(4)))
            box = QRectF(chart.left() + share * chart.width() - px(60), chart.bottom() + px(5), px(120), px(18))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter), text)

    def _draw_ahead(self, painter: QPainter, c: Palette, at: Callable[[float, float], QPointF]) -> None:
        """Draw the forecast with its uncertainty."""
        if not self._ahead:
            return
        upper = [at(point.time_s, point.ppm + point.sigma_ppm) for point in self._ahead]
        lower = [at(point.time_s, point.ppm - point.sigma_ppm) for point in self._ahead]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("spruce", 0.22))
        painter.drawPolygon(QPolygonF(upper + lower[::-1]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(c.colour("spruce"), 1.5))
        painter.drawPolyline(QPolygonF([at(point.time_s, point.ppm) for point in self._ahead]))

    def _draw_moments(
        self, painter: QPainter, c: Palette, chart: QRectF, ends_s: tuple[float, float], at: Callable[[float], float]
    ) -> None:
        """Draw today, and times of corrections."""
        painter.setPen(QPen(c.colour("vermilion"), 1))
        x = at(self._now_s)
        painter.drawLine(QPointF(x, chart.top()), QPointF(x, chart.bottom()))
        painter.setFont(font(11, "sans", 500))
        painter.drawText(QPointF(x + px(4), chart.top() + px(14)), "today")
        painter.setPen(QPen(c.colour("ochre"), 2))
        for time_s in self._corrected_s:
            if ends_s[0] <= time_s <= ends_s[1]:
                x = at(time_s)
                painter.drawLine(QPointF(x, chart.bottom() - px(10)), QPointF(x, chart.bottom()))


def even_dates(first_s: float, last_s: float) -> list[datetime]:
    """Round dates between two moments that fit: first days of months over long times, else even days."""
    first, days = datetime.fromtimestamp(first_s, UTC), (last_s - first_s) / DAY_S
    if days > 60:
        step = next((n for n in (1, 2, 3, 6, 12) if days / 30.4 / n <= MAX_DATES), 24)
        months = range(first.year * 12 + first.month, int(first.year * 12 + first.month + days / 28) + 1)
        dates = [datetime(month // 12, month % 12 + 1, 1, tzinfo=UTC) for month in months if month % step == 0]
    else:
        step = next(n for n in (1, 2, 5, 7, 14) if days / n <= MAX_DATES or n == 14)
        number = first.toordinal() + 1
        ordinals = range(-(-number // step) * step, number + int(days) + 1, step)
        dates = [datetime.fromordinal(ordinal).replace(tzinfo=UTC) for ordinal in ordinals]
    return [date for date in dates if first_s <= date.timestamp() <= last_s]
