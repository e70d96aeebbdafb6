"""A tried remedy: the wanted channel and its surroundings before and after, on one dial scale."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.ghosts.span import Span
from yarddial.session.spurious.mitigation import Trial
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import ticks
from yarddial.yard.frequency import format_frequency

# Frequency range shown, in channel widths to either side, and at least this.
WIDTHS_AROUND, MIN_HZ = 6.0, 40e3
UNDER_DB, OVER_DB = 6.0, 8.0


class RemedyPicture(QWidget):
    """Two profiles with the same scales, so that differences are visible."""

    def __init__(self) -> None:
        super().__init__()
        self._trial: Trial | None = None
        self.setAccessibleName("The channel before and after the remedy")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        """Preferred size: half of the place."""
        return QSize(px(600), px(280))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(320), px(190))

    def show_trial(self, trial: Trial | None) -> None:
        """Show another trial."""
        self._trial = trial
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw before above, after below, the dial's figures between them."""
        trial = self._trial
        if trial is None:
            return
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        figures = px(20)
        high = (self.height() - figures - px(8)) / 2
        half_hz = max(WIDTHS_AROUND * trial.channel.width_hz, MIN_HZ)
        top_db = max(s.strongest(hz, half_hz) for s, hz in self._halves(trial)) + OVER_DB
        low_db = min(span.floor_dbm for span, _ in self._halves(trial)) - UNDER_DB
        for number, (span, middle_hz) in enumerate(self._halves(trial)):
            chart = QRectF(px(10), px(2) + number * (high + figures), self.width() - px(20), high)
            over_db = trial.over_db if number else trial.over_before_db
            self._draw_half(painter, c, chart, span, middle_hz, half_hz, trial.channel.width_hz, (low_db, top_db))
            self._draw_words(painter, c, chart, "After" if number else "Before", over_db)
        chart = QRectF(px(10), px(2) + high, self.width() - px(20), figures)
        self._draw_figures(painter, c, chart, trial.channel.dial_hz, half_hz)

    def _halves(self, trial: Trial) -> tuple[tuple[Span, float], tuple[Span, float]]:
        return (trial.before, trial.channel.dial_hz), (trial.after, trial.wanted_hz)

    def _draw_half(
        self, painter: QPainter, c: Palette, chart: QRectF, span: Span, middle_hz: float, half_hz: float,
        width_hz: float, ends_db: tuple[float, float],
    ) -> None:  # fmt: skip
        """Draw the channel shaded, the levels around it, the floor."""
        low_db, top_db = ends_db
        wide = width_hz / (2 * half_hz) * chart.width()
        channel = QRectF(chart.center().x() - wide / 2, chart.top(), wide, chart.height())
        painter.fillRect(channel, c.colour("spruce", 0.12))
        first = int(np.floor((middle_hz - half_hz - span.low_hz) / span.step_hz))
        last = int(np.ceil((middle_hz + half_hz - span.low_hz) / span.step_hz))
        index = np.arange(max(first, 0), min(last + 1, span.level_dbm.size))
        if index.size > 1:
            away = (span.low_hz + index * span.step_hz - middle_hz) / half_hz
            x = np.clip(chart.center().x() + away * chart.width() / 2, chart.left(), chart.right())
            share = np.clip((span.level_dbm[index] - low_db) / (top_db - low_db), 0, 1)
            y = chart.bottom() - share * chart.height()
            points = [QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]
            ends = [QPointF(points[0].x(), chart.bottom()), QPointF(points[-1].x(), chart.bottom())]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(c.colour("slate", 0.18))
            painter.drawPolygon(QPolygonF([ends[0], *points, ends[1]]))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(c.colour("slate"), 1))
            painter.drawPolyline(QPolygonF(points))
        floor = chart.bottom() - (span.floor_dbm - low_db) / (top_db - low_db) * chart.height()
        painter.setPen(QPen(c.colour("quiet"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(chart.left(), floor), QPointF(chart.right(), floor))
        painter.setPen(QPen(c.colour("ink"), px(1.5)))
        painter.drawLine(chart.bottomLeft(), chart.bottomRight())

    def _draw_words(self, painter: QPainter, c: Palette, chart: QRectF, name: str, over_db: float) -> None:
        painter.setPen(c.colour("ink"))
        painter.setFont(font(14, "serif"))
        painter.drawText(QPointF(chart.left() + px(4), chart.top() + px(16)), name)
        painter.setFont(font(12))
        painter.setPen(c.colour("quiet"))
        text = f"{over_db:.0f} dB over the floor"
        painter.drawText(QPointF(chart.left() + px(4), chart.top() + px(34)), text)

    def _draw_figures(self, painter: QPainter, c: Palette, chart: QRectF, middle_hz: float, half_hz: float) -> None:
        painter.setFont(font(11, "mono"))
        ends = ((middle_hz - half_hz) / 1e6, (middle_hz + half_hz) / 1e6)
        for mhz, _ in ticks(ends, int(chart.width() / px(120))):
            x = chart.center().x() + (mhz * 1e6 - middle_hz) / half_hz * chart.width() / 2
            painter.setPen(QPen(c.colour("ink"), 1))
            painter.drawLine(QPointF(x, chart.top()), QPointF(x, chart.top() + px(4)))
            painter.setPen(c.colour("quiet"))
            left = min(max(x - px(60), chart.left()), chart.right() - px(120))
            box = QRectF(left, chart.top() + px(4), px(120), px(15))
            painter.drawText(box, int(_beside(x, left)), format_frequency(mhz * 1e6, 0))


def _beside(x: float, left: float) -> Qt.AlignmentFlag:
    """Put figures under their line, or beside it at the picture's ends."""
    away = x - left - px(60)
    if abs(away) < 1:
        return Qt.AlignmentFlag.AlignHCenter
    return Qt.AlignmentFlag.AlignLeft if away < 0 else Qt.AlignmentFlag.AlignRight
