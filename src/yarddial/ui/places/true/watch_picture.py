"""A watched carrier: the oscillator's error over time with the fitted warm-up, or its Allan deviation."""

from math import exp, log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.stability.allan import Allan
from yarddial.analysis.stability.track import Point
from yarddial.analysis.stability.warm_up import WarmUp
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import scale_along, scale_up

# Shorter runs have a scale in seconds.
SHORT_S = 150.0


class _Chart(QWidget):
    """Base of both charts, with their size."""

    def __init__(self, name: str, high: float, min_height: float) -> None:
        super().__init__()
        self._high, self._min_height = high, min_height
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)

    def sizeHint(self) -> QSize:
        """As on the first sheet."""
        return QSize(px(620), px(self._high))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(self._min_height))

    def _ground(self) -> tuple[QPainter, Palette, QRectF]:
        """The drawing area, within its margins."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(72), px(14), self.width() - px(84), self.height() - px(36))
        painter.fillRect(chart, c.colour("card"))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        return painter, c, chart


class WatchPicture(_Chart):
    """Minutes to the right, parts per million up."""

    def __init__(self) -> None:
        super().__init__("Error of the oscillator over time", 190, 120)
        self._points: tuple[Point, ...] = ()
        self._warm_up: WarmUp | None = None

    def show_track(self, points: tuple[Point, ...], warm_up: WarmUp | None) -> None:
        """Show the watched frequency over time."""
        self._points, self._warm_up = points, warm_up
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw points, the fit, and where it is steady."""
        painter, c, chart = self._ground()
        if len(self._points) < 2:
            return
        begin_s = self._points[0].time_s
        span_s = max(self._points[-1].time_s - begin_s, 60.0)
        values = [point.ppm for point in self._points]
        middle = (max(values) + min(values)) / 2
        room = max(max(values) - middle, 0.01) * 1.15

        def at(time_s: float, ppm: float) -> QPointF:
            return QPointF(
                chart.left() + (time_s - begin_s) / span_s * chart.width(),
                chart.center().y() - (ppm - middle) / room * chart.height() / 2,
            )

        scale_up(painter, c, chart, (middle - room, middle + room), "ppm")
        unit, unit_s = ("s", 1.0) if span_s < SHORT_S else ("min", 60.0)
        scale_along(painter, c, chart, (0.0, span_s / unit_s), lambda text: f"{text} {unit}")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("slate"))
        for point in self._points:
            painter.drawEllipse(at(point.time_s, point.ppm), px(2), px(2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        fit = self._warm_up
        if fit is None:
            return
        times = [begin_s + span_s * i / 120 for i in range(121)]
        curve = [at(t, fit.settled_ppm + fit.size_ppm * exp(-(t - begin_s) / fit.tau_s)) for t in times]
        painter.setPen(QPen(c.colour("spruce"), 1.5))
        # A fit of a short run extends below the chart.
        painter.setClipRect(chart)
        painter.drawPolyline(QPolygonF(curve))
        painter.setClipping(False)
        if 0 < fit.steady_after_s < span_s and fit.has_settled:
            x = at(begin_s + fit.steady_after_s, middle).x()
            painter.setPen(QPen(c.colour("ochre"), 1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, chart.top()), QPointF(x, chart.bottom()))
            painter.setFont(font(11, "sans", 500))
            wide = painter.fontMetrics().horizontalAdvance("steady") + px(5)
            x = x + px(5) if x + wide < chart.right() else x - wide
            painter.drawText(QPointF(x, chart.top() + px(14)), "steady")


class AllanPicture(_Chart):
    """Averaging time to the right, deviation up, both in decades."""

    def __init__(self) -> None:
        super().__init__("Allan deviation over averaging time", 170, 110)
        self._curve: tuple[Allan, ...] = ()

    def show_curve(self, curve: tuple[Allan, ...]) -> None:
        """Show the Allan deviation."""
        self._curve = tuple(point for point in curve if point.deviation > 0)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw points with their ranges."""
        painter, c, chart = self._ground()
        if not self._curve:
            painter.setPen(c.colour("quiet"))
            painter.setFont(font(12))
            painter.drawText(chart, int(Qt.AlignmentFlag.AlignCenter), "Allan deviation: from sixteen points on")
            return
        left, right = log10(self._curve[0].tau_s) - 0.15, log10(self._curve[-1].tau_s) + 0.15
        low = log10(min(point.low for point in self._curve)) - 0.2
        # Leave room for the title over the highest point.
        high = log10(max(point.high for point in self._curve)) + 0.45

        def at(tau_s: float, deviation: float) -> QPointF:
            return QPointF(
                chart.left() + (log10(tau_s) - left) / (right - left) * chart.width(),
                chart.bottom() - (log10(deviation) - low) / (high - low) * chart.height(),
            )

        _decades(painter, c, chart, (low, high), (left, right))
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        title = "Allan deviation over averaging time, the warm-up taken out"
        painter.drawText(QPointF(chart.left() + px(8), chart.top() + px(15)), title)
        painter.setPen(QPen(c.colour("spruce"), 1.5))
        painter.drawPolyline(QPolygonF([at(point.tau_s, point.deviation) for point in self._curve]))
        for point in self._curve:
            painter.drawLine(at(point.tau_s, point.low), at(point.tau_s, point.high))
            painter.setBrush(c.colour("spruce"))
            painter.drawEllipse(at(point.tau_s, point.deviation), px(3), px(3))
            painter.setBrush(Qt.BrushStyle.NoBrush)


def _decades(painter: QPainter, c: Palette, chart: QRectF, up: tuple[float, float], along: tuple[float, float]) -> None:
    painter.setFont(font(11, "mono"))
    right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    for power in range(-int(-up[0] // 1), int(up[1] // 1) + 1):
        y = chart.bottom() - (power - up[0]) / (up[1] - up[0]) * chart.height()
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawLine(QPointF(chart.left(), y), QPointF(chart.right(), y))
        painter.setPen(c.colour("quiet"))
        painter.drawText(QRectF(0, y - px(9), chart.left() - px(8), px(18)), right, f"1e{power}".replace("-", "−"))
    for power in range(-int(-along[0] // 1), int(along[1] // 1) + 1):
        x = chart.left() + (power - along[0]) / (along[1] - along[0]) * chart.width()
        painter.setPen(c.colour("quiet"))
        box = QRectF(x - px(40), chart.bottom() + px(4), px(80), px(16))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter), f"{10**power:g} s")
