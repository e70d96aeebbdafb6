"""A sweep: floor and wanted signal over gain; the distance between them is what one hears by."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.levels.advice import Advice
from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.axis import nice_step, tick_text


class SweepPicture(QWidget):
    """Gain to the right, level up."""

    def __init__(self) -> None:
        super().__init__()
        self._steps: tuple[GainPoint, ...] = ()
        self._advice: Advice | None = None
        self._set_db = 0.0
        self._ends = (0.0, 1.0)
        self.empty_text = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Floor and signal in the channel over gain")

    def sizeHint(self) -> QSize:
        """As on the first window."""
        return QSize(px(620), px(340))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(180))

    def show_sweep(
        self, steps: tuple[GainPoint, ...], advice: Advice | None, set_db: float, ends_db: tuple[float, float]
    ) -> None:
        """Show measured steps, the present gain, and the control's ends."""
        self._steps, self._advice, self._set_db = tuple(sorted(steps, key=lambda s: s.gain_db)), advice, set_db
        self._ends = ends_db
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw axes, the two lines, and the marks."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(58), px(18), self.width() - px(76), self.height() - px(62))
        painter.fillRect(chart, c.colour("card"))
        levels = [v for s in self._steps for v in (s.noise_dbfs, s.channel_dbfs)]
        low, high = (min(levels) - 4, max(*levels, 0.0) + 3) if levels else (-100.0, 3.0)
        left_db, right_db = self._ends
        span_db = max(right_db - left_db, 1.0)

        def at(gain_db: float, level_db: float) -> QPointF:
            return QPointF(
                chart.left() + (gain_db - left_db + 0.03 * span_db) / (1.06 * span_db) * chart.width(),
                chart.bottom() - (level_db - low) / (high - low) * chart.height(),
            )

        self._draw_axes(painter, c, chart, (low, high), at)
        if not self._steps:
            painter.setFont(font(13))
            painter.setPen(c.colour("quiet"))
            flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
            painter.drawText(chart, flags, self.empty_text)
            return
        full = at(0.0, 0.0).y()
        painter.setPen(QPen(c.colour("vermilion"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(chart.left(), full), QPointF(chart.right(), full))
        painter.setFont(font(11))
        over = full - px(15) > chart.top()
        painter.drawText(QPointF(chart.left() + px(6), full - px(4) if over else full + px(12)), "full scale")
        lines = (
            ("slate", "noise in the channel", [at(step.gain_db, step.noise_dbfs) for step in self._steps]),
            ("spruce", "all in the channel", [at(step.gain_db, step.channel_dbfs) for step in self._steps]),
        )
        # Write names above the chart, where no line goes.
        beside = 0.0
        for role, name, points in lines:
            painter.setPen(QPen(c.colour(role), 1.5))
            painter.drawPolyline(QPolygonF(points))
            painter.setBrush(c.colour(role))
            for point, step in zip(points, self._steps, strict=True):
                painter.setBrush(c.colour("vermilion" if step.is_clipped else role))
                painter.drawEllipse(point, px(2.5), px(2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(c.colour(role))
            wide = painter.fontMetrics().horizontalAdvance(name)
            painter.drawText(QPointF(chart.right() - beside - wide, px(13)), name)
            beside += wide + px(40)
            painter.drawLine(
                QPointF(chart.right() - beside + px(16), px(9)), QPointF(chart.right() - beside + px(34), px(9))
            )
        self._draw_marks(painter, c, chart, at)

    def _draw_axes(self, painter: QPainter, c: Palette, chart: QRectF, ends: tuple[float, float], at: object) -> None:
        assert callable(at)
        painter.setFont(font(11, "mono"))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        step = nice_step(ends[1] - ends[0], max(int(chart.height() / px(44)), 2))
        number = int(ends[0] / step)
        right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        while number * step <= ends[1]:
            y = at(0.0, number * step).y()
            if chart.top() <= y <= chart.bottom():
                painter.setPen(c.colour("quiet"))
                painter.drawLine(QPointF(chart.left() - px(4), y), QPointF(chart.left(), y))
                text = tick_text(number * step, step)
                painter.drawText(QRectF(0, y - px(9), chart.left() - px(8), px(18)), right, text)
            number += 1
        painter.drawText(QRectF(0, 0, chart.left() - px(8), chart.top()), right, "dBFS")
        step = nice_step(max(self._ends[1] - self._ends[0], 1.0), max(int(chart.width() / px(80)), 2))
        number = -(-int(self._ends[0]) // int(max(step, 1)))
        while number * step <= self._ends[1]:
            x = at(number * step, 0.0).x()
            painter.drawLine(QPointF(x, chart.bottom()), QPointF(x, chart.bottom() + px(4)))
            middle = int(Qt.AlignmentFlag.AlignHCenter)
            painter.drawText(QRectF(x - px(30), chart.bottom() + px(5), px(60), px(16)), middle, f"{number * step:g}")
            number += 1
        painter.drawText(
            QRectF(chart.left(), chart.bottom() + px(22), chart.width(), px(16)), int(Qt.AlignmentFlag.AlignHCenter),
            "gain, dB",
        )  # fmt: skip

    def _draw_marks(self, painter: QPainter, c: Palette, chart: QRectF, at: object) -> None:
        """Draw the present and the advised gain."""
        assert callable(at)
        marks = [(self._set_db, "set now", "vermilion", chart.bottom() - px(8))] if self._steps else []
        if self._advice is not None and abs(self._advice.gain_db - self._set_db) > 0.05:
            marks.append((self._advice.gain_db, "advised", "spruce", chart.bottom() - px(24)))
        painter.setFont(font(11, "sans", 500))
        for gain_db, name, role, y in marks:
            x = at(gain_db, 0.0).x()
            painter.setPen(QPen(c.colour(role), px(2)))
            painter.drawLine(QPointF(x, chart.top()), QPointF(x, chart.bottom()))
            wide = painter.fontMetrics().horizontalAdvance(name)
            left = x + px(5) if x + wide + px(8) < chart.right() else x - wide - px(5)
            painter.fillRect(QRectF(left - px(2), y - px(12), wide + px(4), px(15)), c.colour("card", 0.85))
            painter.drawText(QPointF(left, y), name)
