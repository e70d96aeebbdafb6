"""The tested span as a dial scale: true signals above, spurious ones below, arrows from source to product."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.ghosts.span import CLEAN_SHARE
from yarddial.session.spurious.expected_products import ExpectedProducts
from yarddial.session.spurious.judged_span import JudgedPeak
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import column_tops, scale_up, ticks
from yarddial.yard.frequency import format_frequency

# Levels drawn: from slightly below the floor to above the strongest.
UNDER_DB, OVER_DB = 6.0, 4.0
MARKS = {"true": "spruce", "ghost": "vermilion", "unsure": "ochre"}
# Share of the height above the scale; spurious signals begin below its figures, logical pixels.
SCALE_HEIGHT_SHARE, BELOW_FIGURES, BELOW_MINIMUM = 0.7, 24, 82
# Number of the strongest expected signals drawn.
MAX_EXPECTED = 12


class GhostsPicture(QWidget):
    """A click dials the nearest peak."""

    dialled = pyqtSignal(float)

    def __init__(self, span_test: SpanTest, expected_products: ExpectedProducts) -> None:
        super().__init__()
        self._span_test, self._expected_products = span_test, expected_products
        self._dial_hz = 0.0
        self.setAccessibleName("The span: true signals above the scale, ghosts below it")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        """Preferred size: wide."""
        return QSize(px(600), px(320))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(320), px(200))

    def show_dial(self, dial_hz: float) -> None:
        """Move the pointer to the dial frequency."""
        self._dial_hz = dial_hz
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Dial the peak nearest to the pointer."""
        span = self._span_test.before
        if event is None or span is None or not self._span_test.judged:
            return
        x = event.position().x()
        nearest = min(self._span_test.judged, key=lambda j: abs(self.x_of(j.peak.dial_hz) - x))
        if abs(self.x_of(nearest.peak.dial_hz) - x) < px(30):
            self.dialled.emit(nearest.peak.dial_hz)

    def _chart(self) -> QRectF:
        return QRectF(px(52), px(20), self.width() - px(62), self.height() - px(28))

    def _examined(self) -> tuple[float, float] | None:
        """Centre and rate of the tested span, else of the span to be tested, on the dial."""
        shown = self._span_test.before or self._expected_products.request
        return None if shown is None else (shown.centre_hz, shown.rate_hz)

    def x_of(self, dial_hz: float) -> float:
        examined, chart = self._examined(), self._chart()
        assert examined is not None
        return chart.left() + ((dial_hz - examined[0]) / examined[1] + 0.5) * chart.width()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the picture, or say what is missing."""
        painter, c, chart = QPainter(self), palette(), self._chart()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        span = self._span_test.before
        # Spurious signals and their names need this height below the scale.
        base = chart.top() + min(SCALE_HEIGHT_SHARE * chart.height(), chart.height() - px(BELOW_MINIMUM))
        if span is None:
            self._draw_untested(painter, c, chart, base)
            return
        low_db = span.floor_dbm - UNDER_DB
        high_db = float(span.level_dbm.max()) + OVER_DB

        def up(level_dbm: float) -> float:
            return base - px(4) - max(level_dbm - low_db, 0.0) / (high_db - low_db) * (base - chart.top() - px(4))

        self._draw_levels(painter, c, chart, base, low_db, high_db)
        self._draw_scale(painter, c, chart, base)
        for judged in self._span_test.judged:
            self._draw_mark(painter, c, base, up(judged.peak.level_dbm), judged)
        self._draw_arrows(painter, c, base)
        ghosts = (j for j in self._span_test.judged if j.judgement.verdict == "ghost")
        self._draw_names(painter, c, chart, base, [(j.peak.dial_hz, j.judgement.kinds) for j in ghosts])
        self._draw_pointer(painter, c, chart, base)

    def _draw_untested(self, painter: QPainter, c: Palette, chart: QRectF, base: float) -> None:
        """Draw the scale with the expected signals hollow below it."""
        # Left of the pointer, which is right of the parked centre.
        above = QRectF(chart.left(), chart.top(), 0.6 * chart.width(), base - chart.top())
        painter.setPen(c.colour("quiet"))
        painter.setFont(font(13))
        expected = self._expected_products.ghosts[:MAX_EXPECTED]
        untested = "The span was not tested yet." + ("\nHollow below: what is to be expected." if expected else "")
        text = (self._span_test.doing and f"Looking {self._span_test.doing}…") or untested
        painter.drawText(above, int(Qt.AlignmentFlag.AlignCenter), text)
        if self._examined() is None:
            return
        self._draw_scale(painter, c, chart, base)
        painter.setPen(QPen(c.colour("vermilion"), px(1.5)))
        for ghost in expected:
            x, top = self.x_of(ghost.dial_hz), base + px(BELOW_FIGURES)
            painter.drawLine(QPointF(x, top), QPointF(x, top + px(14)))
            painter.drawRect(QRectF(x - px(3.5), top + px(14), px(7), px(7)))
        self._draw_names(painter, c, chart, base, [(ghost.dial_hz, ghost.kind) for ghost in expected])
        self._draw_pointer(painter, c, chart, base)

    def _draw_pointer(self, painter: QPainter, c: Palette, chart: QRectF, base: float) -> None:
        x = self.x_of(self._dial_hz)
        if chart.left() <= x <= chart.right():
            painter.setPen(QPen(c.colour("vermilion"), px(1.5)))
            painter.drawLine(QPointF(x, chart.top()), QPointF(x, base + px(10)))

    def _draw_levels(
        self, painter: QPainter, c: Palette, chart: QRectF, base: float, low_db: float, high_db: float
    ) -> None:
        """Draw the spectrum, the maximum of each column."""
        span = self._span_test.before
        assert span is not None
        columns = max(int(chart.width() / 2), 16)
        at, tops = column_tops(span.level_dbm, columns)
        y = base - px(4) - np.clip((tops - low_db) / (high_db - low_db), 0, 1) * (base - chart.top() - px(4))
        x = np.array([self.x_of(hertz) for hertz in (span.low_hz + at * span.step_hz).tolist()])
        points = [QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]
        ends = (low_db, high_db)
        scale_up(painter, c, QRectF(chart.topLeft(), QPointF(chart.right(), base - px(4))), ends, "dBm", lines=True)
        painter.setPen(QPen(c.colour("quiet"), 1))
        painter.setBrush(c.colour("card"))
        painter.drawPolygon(QPolygonF([QPointF(chart.left(), base), *points, QPointF(chart.right(), base)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _draw_scale(self, painter: QPainter, c: Palette, chart: QRectF, base: float) -> None:
        examined = self._examined()
        assert examined is not None
        centre_hz, rate_hz = examined
        painter.setPen(QPen(c.colour("hairline"), 1, Qt.PenStyle.DashLine))
        for side in (-1, 1):
            edge = self.x_of(centre_hz + side * CLEAN_SHARE * rate_hz)
            painter.drawLine(QPointF(edge, chart.top()), QPointF(edge, base))
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        left = self.x_of(centre_hz - CLEAN_SHARE * rate_hz)
        painter.drawText(QPointF(left + px(6), chart.top() + px(11)), "judged")
        painter.setPen(QPen(c.colour("ink"), px(2)))
        painter.drawLine(QPointF(chart.left(), base), QPointF(chart.right(), base))
        painter.setFont(font(11, "mono"))
        ends = (centre_hz - rate_hz / 2, centre_hz + rate_hz / 2)
        for hertz, _ in ticks((ends[0] / 1e6, ends[1] / 1e6), int(chart.width() / px(110))):
            x = self.x_of(hertz * 1e6)
            painter.setPen(QPen(c.colour("ink"), 1))
            painter.drawLine(QPointF(x, base), QPointF(x, base + px(5)))
            painter.setPen(c.colour("quiet"))
            left = min(max(x - px(50), chart.left()), chart.right() - px(100))
            beside = Qt.AlignmentFlag.AlignHCenter if abs(left - x + px(50)) < 1 else Qt.AlignmentFlag.AlignRight
            box = QRectF(left, base + px(6), px(100), px(16))
            painter.drawText(box, int(beside), format_frequency(hertz * 1e6, 0))

    def _draw_mark(self, painter: QPainter, c: Palette, base: float, y: float, judged: JudgedPeak) -> None:
        """Draw a stem up for a true signal, down for a spurious one, a ring for an open one."""
        x, verdict = self.x_of(judged.peak.dial_hz), judged.judgement.verdict
        colour = c.colour(MARKS[verdict])
        painter.setPen(QPen(colour, px(2)))
        if verdict == "ghost":
            top = base + px(BELOW_FIGURES)
            painter.drawLine(QPointF(x, top), QPointF(x, top + px(16)))
            painter.setBrush(colour)
            painter.drawRect(QRectF(x - px(3.5), top + px(14), px(7), px(7)))
        else:
            painter.drawLine(QPointF(x, base), QPointF(x, y))
            if verdict == "true":
                painter.setBrush(colour)
            painter.drawEllipse(QPointF(x, y), px(3.5), px(3.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _draw_arrows(self, painter: QPainter, c: Palette, base: float) -> None:
        """Draw arrows from sources within the span to their products."""
        span = self._span_test.before
        assert span is not None
        painter.setPen(QPen(c.colour("quiet"), 1, Qt.PenStyle.DashLine))
        route = self._span_test.route
        sources = () if route is None else self._span_test.sources(route)
        for judged in self._span_test.judged:
            if judged.judgement.verdict != "ghost":
                continue
            ghost = next(
                (g for g in self._span_test.ghosts
                 if g.kind == judged.judgement.best.kind and abs(g.dial_hz - judged.peak.dial_hz) < 4 * span.within_hz),
                None,
            )  # fmt: skip
            for name in () if ghost is None else ghost.sources:
                source = next((s for s in sources if s.name == name), None)
                if source is not None and span.covers(source.frequency_hz):
                    deep = base + px(BELOW_FIGURES + 18)
                    a, b = QPointF(self.x_of(source.frequency_hz), base), QPointF(self.x_of(judged.peak.dial_hz), deep)
                    path = QPainterPath(a)
                    path.quadTo(QPointF((a.x() + b.x()) / 2, deep + px(10)), b)
                    painter.drawPath(path)

    def _draw_names(
        self, painter: QPainter, c: Palette, chart: QRectF, base: float, named: list[tuple[float, str]]
    ) -> None:
        """Write kinds under the spurious signals, in several rows where they are close."""
        painter.setFont(font(11))
        metrics = QFontMetricsF(painter.font())
        ends = [chart.left()] * 4
        for dial_hz, text in sorted(named):
            wide = metrics.horizontalAdvance(text)
            left = min(max(self.x_of(dial_hz) - wide / 2, chart.left()), chart.right() - wide)
            row = next((n for n, end in enumerate(ends) if left >= end), None)
            if row is None:
                continue
            ends[row] = left + wide + px(10)
            painter.setPen(c.colour("ink"))
            painter.drawText(QPointF(left, base + px(BELOW_FIGURES + 38) + row * px(16)), text)
