"""Dial error and uncertainty over all routes, against the mode's tolerance."""

from itertools import islice
from math import asinh, log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.fitting import draw_wrapped
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.yard.frequency import format_bound, format_sigma
from yarddial.yard.modes import Mode
from yarddial.yard.oscillators import Oscillators, dial_state
from yarddial.yard.reach import reached_spans
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station

# Errors are drawn on a scale that is linear below this and logarithmic above, hertz.
KNEE_HZ = 1.0
TOP_HZ = 100_000.0
CURVE_POINTS = 24
# Gap between two routes, logical pixels.
ROUTE_GAP_PX = 26

# Points along a route: frequency, error, uncertainty, hertz.
Wedge = list[tuple[float, float, float]]

# Maximum number of wedges; the active route is shown first.
MAX_ROUTES = 12


class ErrorPicture(QWidget):
    """One wedge per route: its middle is the error, its width one sigma to either side."""

    def __init__(self) -> None:
        super().__init__()
        self.wedges: list[tuple[str, Wedge]] = []
        self._after: list[Wedge] = []
        self._tolerance_hz, self._mode, self._dial = 100.0, "AM", (10e6, "")
        self.setAccessibleName("Dial error over all routes")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        """Preferred size: wide and low."""
        return QSize(px(600), px(120))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(102))

    def show_routes(
        self, station: Station, oscillators: Oscillators, mode: Mode, corrected: Station | None = None
    ) -> None:
        """Calculate error and uncertainty along every route, now and with the proposed correction entered."""
        self._tolerance_hz, self._mode = mode.tolerance_hz, mode.name
        self._dial = (station.dial_hz, station.route)
        routes = sorted(station.resolved_routes(), key=lambda resolved: resolved.name != station.route)
        reached = list(islice((resolved for resolved in routes if reached_spans(resolved)), MAX_ROUTES))
        if len(routes) <= MAX_ROUTES:
            reached.sort(key=lambda resolved: [route.name for route in station.routes].index(resolved.name))
        self.wedges = [(resolved.name, _wedge(resolved, oscillators)) for resolved in reached]
        self._after = (
            [_wedge(corrected.resolve(resolved.name), oscillators) for resolved in reached] if corrected else []
        )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the wedges side by side."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(58), px(2), self.width() - px(154), self.height() - px(24) - self._names_high())
        self._draw_scale(painter, c, chart)
        gap = px(ROUTE_GAP_PX)
        count = max(len(self.wedges), 1)
        width = (chart.width() - gap * (count - 1)) / count
        for i, (name, points) in enumerate(self.wedges):
            box = QRectF(chart.left() + i * (width + gap), chart.top(), width, chart.height())
            self._draw_wedge(painter, c, box, name, points, "slate" if self._after else "spruce")
            if self._after:
                self._draw_wedge(painter, c, box, "", self._after[i], "spruce")
        if self._after:
            self._draw_legend(painter, c, chart)

    def _column(self) -> float:
        """Width of one route's column, with the gap beside it."""
        count = max(len(self.wedges), 1)
        return (self.width() - px(154) - px(ROUTE_GAP_PX) * (count - 1)) / count + px(ROUTE_GAP_PX - 2)

    def _names_high(self) -> float:
        """Height for the routes' names, by the longest."""
        metrics, flags = QFontMetricsF(font(11)), int(Qt.TextFlag.TextWordWrap)
        box = QRectF(0, 0, self._column(), 1_000)
        return max([metrics.boundingRect(box, flags, name).height() for name, _ in self.wedges] or [px(10)])

    def _y(self, chart: QRectF, hertz: float) -> float:
        share = asinh(hertz / KNEE_HZ) / asinh(TOP_HZ / KNEE_HZ)
        return chart.center().y() - min(max(share, -1.0), 1.0) * chart.height() / 2

    def _draw_scale(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        painter.setFont(font(10, "mono"))
        for hertz, text in (
            (0.0, "0"),
            (100.0, "+100 Hz"),
            (10_000.0, "+10 kHz"),
            (-100.0, "−100"),
            (-10_000.0, "−10 k"),
        ):
            y = self._y(chart, hertz)
            if abs(hertz) == 100.0 and chart.height() < px(76):
                continue
            painter.setPen(QPen(c.colour("hairline"), 1))
            painter.drawLine(QPointF(chart.left(), y), QPointF(chart.right(), y))
            painter.setPen(c.colour("quiet"))
            painter.drawText(
                QRectF(0, y - px(8), chart.left() - px(6), px(16)),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter),
                text,
            )
        painter.setPen(QPen(c.colour("ochre"), 1, Qt.PenStyle.DashLine))
        for sign in (1, -1):
            y = self._y(chart, sign * self._tolerance_hz)
            painter.drawLine(QPointF(chart.left(), y), QPointF(chart.right(), y))
        painter.setFont(font(11))
        painter.setPen(c.colour("ochre"))
        top = self._y(chart, self._tolerance_hz)
        painter.drawText(
            QRectF(chart.right() + px(8), top - px(9), px(90), px(18)),
            int(Qt.AlignmentFlag.AlignVCenter),
            f"{self._mode} {format_sigma(self._tolerance_hz)}",
        )

    def _draw_legend(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        """Draw the legend: now, and once entered."""
        painter.setFont(font(11))
        for row, (role, text) in enumerate((("slate", "now"), ("spruce", "once entered"))):
            y = chart.center().y() + px(22) + row * px(15)
            painter.fillRect(QRectF(chart.right() + px(8), y - px(8), px(8), px(8)), c.colour(role))
            painter.setPen(c.colour("quiet"))
            painter.drawText(QPointF(chart.right() + px(20), y), text)

    def _draw_wedge(self, painter: QPainter, c: Palette, chart: QRectF, name: str, points: "Wedge", role: str) -> None:
        low, high = log10(points[0][0]), log10(points[-1][0])

        def x(hertz: float) -> float:
            return chart.left() + (log10(hertz) - low) / (high - low) * chart.width()

        upper = [QPointF(x(f), min(self._y(chart, e + s), self._y(chart, e) - 1)) for f, e, s in points]
        lower = [QPointF(x(f), max(self._y(chart, e - s), self._y(chart, e) + 1)) for f, e, s in points]
        painter.setPen(QPen(c.colour(role), 1))
        painter.setBrush(c.colour(role, 0.25))
        painter.drawPolygon(QPolygonF(upper + lower[::-1]))
        if not name:
            return
        dial_hz, route = self._dial
        if name == route and points[0][0] <= dial_hz <= points[-1][0]:
            painter.setPen(QPen(c.colour("vermilion"), 1.5))
            painter.drawLine(QPointF(x(dial_hz), chart.top()), QPointF(x(dial_hz), chart.bottom()))
        painter.setFont(font(11))
        metrics = QFontMetricsF(painter.font())
        ends = format_bound(points[0][0]), format_bound(points[-1][0])
        painter.setPen(c.colour("quiet"))
        base = chart.bottom() + px(14)
        if sum(metrics.horizontalAdvance(end) for end in ends) + px(6) <= chart.width() + px(ROUTE_GAP_PX):
            painter.drawText(QPointF(chart.left(), base), ends[0])
            painter.drawText(QPointF(chart.right() - metrics.horizontalAdvance(ends[1]), base), ends[1])
        painter.setPen(c.colour("ink"))
        room = self._column()
        box = QRectF(chart.center().x() - room / 2, base + px(3), room, self._names_high() + px(4))
        draw_wrapped(painter, box, name)


def _wedge(route: ResolvedRoute, oscillators: Oscillators) -> Wedge:
    spans = reached_spans(route)
    low, high = log10(max(spans[0][0], 1e3)), log10(spans[-1][1])
    places_hz = [10 ** (low + (high - low) * i / CURVE_POINTS) for i in range(CURVE_POINTS + 1)]
    states = [(hertz, dial_state(route, hertz, oscillators)) for hertz in places_hz]
    return [(hertz, state.error_hz, state.sigma_hz) for hertz, state in states]
