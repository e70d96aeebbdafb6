"""The span as a horizontal dial scale: band, clean part, wanted signals above, unwanted ones below."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.span.rates import CLEAN_SHARE
from yarddial.engine.events import SpanSpectrum
from yarddial.session.sampling.span_planner import SpanAnswer
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.axis import nice_step, tick_text

# A click takes the strongest peak this near to the pointer, if it stands so far over the floor.
PEAK_REACH_PX, PEAK_OVER_DB = 6, 6.0
PICTURE_HEIGHT, BASE_HEIGHT, HEIGHT_LIVE = 176, 84, 46
LabelPlace = Callable[[float], float]


class SpanPicture(QWidget):
    """The best way to cover the band, in dial frequencies. A click tunes: to a peak beside it, or just there."""

    tuned = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setCursor(Qt.CursorShape.CrossCursor)
        self._answer: SpanAnswer | None = None
        self._live: SpanSpectrum | None = None
        self.setAccessibleName("The span: band, clean part, wanted channels and what is unwanted")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(px(PICTURE_HEIGHT))

    def sizeHint(self) -> QSize:
        """As high as it is drawn."""
        return QSize(px(500), px(PICTURE_HEIGHT))

    def show_answer(self, answer: SpanAnswer | None) -> None:
        """Show an answer, or nothing."""
        self._answer = answer
        self.update()

    def show_live(self, live: SpanSpectrum | None) -> None:
        """Show the running receiver's spectrum, or nothing."""
        self._live = live
        self.update()

    def ends_hz(self) -> tuple[float, float] | None:
        """Dial frequencies at the left and right ends of the scale; None where nothing is drawn."""
        answer = self._answer
        if answer is None or not (answer.covers or answer.steps):
            return None
        if not answer.covers:
            return answer.band.low_hz, answer.band.high_hz
        cover = answer.covers[0]
        low_hz, high_hz = sorted(answer.mapped.dial_hz(cover.centre_hz + s * cover.rate_hz / 2) for s in (-1, 1))
        return low_hz, high_hz

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Tune to what is clicked."""
        ends_hz = self.ends_hz()
        if event is None or ends_hz is None or event.button() != Qt.MouseButton.LeftButton:
            return
        hertz_per_px = (ends_hz[1] - ends_hz[0]) / (self.width() - px(16))
        dial_hz = ends_hz[0] + (event.position().x() - px(8)) * hertz_per_px
        if ends_hz[0] <= dial_hz <= ends_hz[1]:
            self.tuned.emit(self._peak_near(dial_hz, px(PEAK_REACH_PX) * hertz_per_px))

    def _peak_near(self, dial_hz: float, reach_hz: float) -> float:
        """Strongest line within reach that stands out of the live spectrum; the place itself where none does."""
        live, answer = self._live, self._answer
        if live is None or answer is None:
            return round(dial_hz)
        places_hz = live.centre_hz + ((np.arange(live.mean_db.size) + 0.5) / live.mean_db.size - 0.5) * live.rate_hz
        dials_hz = np.array([answer.mapped.dial_hz(float(hertz)) for hertz in places_hz])
        near = np.flatnonzero(np.abs(dials_hz - dial_hz) <= reach_hz)
        if not near.size:
            return round(dial_hz)
        best = near[np.argmax(live.mean_db[near])]
        stands_out = live.mean_db[best] > float(np.median(live.mean_db)) + PEAK_OVER_DB
        return round(float(dials_hz[best])) if stands_out else round(dial_hz)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the span."""
        answer = self._answer
        if answer is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if answer.covers:
            self._draw_cover(painter, answer)
        elif answer.steps:
            self._draw_steps(painter, answer)

    def _draw_steps(self, painter: QPainter, answer: SpanAnswer) -> None:
        """Draw a band wider than the span: the clean part of each step, with its centre and number."""
        c, base = palette(), px(BASE_HEIGHT)
        half_hz = CLEAN_SHARE * answer.step_rate_hz / 2
        ends = [answer.band.low_hz, answer.band.high_hz]
        left, width = px(8), self.width() - px(16)

        def x(dial_hz: float) -> float:
            return left + (dial_hz - ends[0]) / (ends[1] - ends[0]) * width

        painter.setFont(font(11, "mono"))
        metrics = QFontMetricsF(painter.font())
        for number, centre_hz in enumerate(answer.steps):
            edges = sorted(x(answer.mapped.dial_hz(centre_hz + side * half_hz)) for side in (-1, 1))
            low, high = max(edges[0], left), min(edges[1], left + width)
            row = px(34) + px(14) * (number % 2)
            painter.fillRect(QRectF(low, row, high - low, px(12)), c.colour("spruce", 0.28 if number % 2 else 0.45))
            at = x(answer.mapped.dial_hz(centre_hz))
            painter.setPen(QPen(c.colour("spruce"), px(1)))
            painter.drawLine(QPointF(at, row + px(12)), QPointF(at, base))
            text = str(number + 1)
            painter.setPen(c.colour("ink"))
            painter.drawText(QPointF(at - metrics.horizontalAdvance(text) / 2, row + px(10)), text)
        painter.fillRect(QRectF(left, base - px(3), width, px(6)), c.colour("slate", 0.75))
        painter.setPen(QPen(c.colour("ink"), px(2)))
        painter.drawLine(QPointF(left, base), QPointF(left + width, base))
        self._ticks(painter, ends, x, base)
        known = [(x(answer.mapped.dial_hz(ch.middle_hz)), ch.name) for ch in answer.request.channels]
        self._labels(painter, known, base + px(24), +1, "spruce")

    def _draw_cover(self, painter: QPainter, answer: SpanAnswer) -> None:
        """Draw the best proposal: clean part, band and wanted channels above the scale, unwanted signals below."""
        c, cover = palette(), answer.covers[0]
        ends = sorted(answer.mapped.dial_hz(cover.centre_hz + side * cover.rate_hz / 2) for side in (-1, 1))
        left, width = px(8), self.width() - px(16)

        def x(dial_hz: float) -> float:
            return left + (dial_hz - ends[0]) / (ends[1] - ends[0]) * width

        middle, base = (ends[0] + ends[1]) / 2, px(BASE_HEIGHT)
        clean = CLEAN_SHARE * cover.rate_hz / 2
        painter.fillRect(
            QRectF(x(middle - clean), px(28), x(middle + clean) - x(middle - clean), px(56)), c.colour("card")
        )
        painter.setPen(QPen(c.colour("hairline"), 1, Qt.PenStyle.DashLine))
        for edge in (middle - clean, middle + clean):
            painter.drawLine(QPointF(x(edge), px(24)), QPointF(x(edge), base))
        if self._live is not None:
            self._draw_live(painter, answer, self._live, x, base)
        band_left, band_right = max(x(answer.band.low_hz), left), min(x(answer.band.high_hz), left + width)
        painter.fillRect(QRectF(band_left, base - px(9), band_right - band_left, px(6)), c.colour("slate", 0.75))
        painter.setPen(QPen(c.colour("ink"), px(2)))
        painter.drawLine(QPointF(left, base), QPointF(left + width, base))
        wanted = [(x(answer.mapped.dial_hz(ch.middle_hz)), ch.name) for ch in answer.request.channels]
        self._labels(painter, wanted, base - px(14), -1, "spruce")
        unwanted = [(x(answer.mapped.dial_hz(hertz)), name) for hertz, name in answer.unwanted()]
        inside = [(at, name) for at, name in unwanted if left <= at <= left + width]
        self._labels(painter, inside, base + px(24), +1, "vermilion")
        self._ticks(painter, ends, x, base)
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        painter.drawText(QPointF(x(middle - clean) + px(6), px(40)), "free of aliases")

    def _draw_live(self, painter: QPainter, answer: SpanAnswer, live: SpanSpectrum, x: LabelPlace, base: float) -> None:
        """Draw the running receiver's span on this scale: mean in ink, present peaks above it."""
        ends = [answer.mapped.dial_hz(live.centre_hz + side * live.rate_hz / 2) for side in (-1, 1)]
        places = np.linspace(x(ends[0]), x(ends[1]), live.mean_db.size)
        floor_db = float(np.median(live.mean_db)) - 4.0
        high_db = max(float(live.peak_db.max()) - floor_db, 40.0)
        inside = (places >= px(8)) & (places <= self.width() - px(8))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for level_db, role in ((live.peak_db, "hairline"), (live.mean_db, "quiet")):
            heights = base - np.clip((level_db - floor_db) / high_db, 0.0, 1.0) * px(HEIGHT_LIVE)
            painter.setPen(QPen(palette().colour(role), 1))
            painter.drawPolyline(QPolygonF(QPointF(a, b) for a, b in zip(places[inside], heights[inside], strict=True)))
        painter.restore()

    def _ticks(self, painter: QPainter, ends: list[float], x: LabelPlace, base: float) -> None:
        step = nice_step((ends[1] - ends[0]) / 1e6, 9)
        first = int(ends[0] / 1e6 / step) + 1
        painter.setFont(font(10, "mono"))
        metrics = QFontMetricsF(painter.font())
        for k in range(first, int(ends[1] / 1e6 / step) + 1):
            at, text = x(k * step * 1e6), tick_text(k * step, step)
            painter.setPen(QPen(palette().colour("ink"), 1))
            painter.drawLine(QPointF(at, base), QPointF(at, base + px(5)))
            painter.setPen(palette().colour("quiet"))
            wide = metrics.horizontalAdvance(text)
            # Keep the number readable where a line passes it.
            painter.fillRect(
                QRectF(at - wide / 2 - px(2), base + px(8), wide + px(4), px(11)), palette().colour("paper")
            )
            painter.drawText(QPointF(at - wide / 2, base + px(17)), text)

    def _labels(self, painter: QPainter, places: list[tuple[float, str]], start: float, side: int, role: str) -> None:
        """Draw lines from the scale to their names, in rows without overlaps."""
        painter.setFont(font(11, "sans", 500))
        metrics = QFontMetricsF(painter.font())
        rows: list[float] = []
        names: list[tuple[QPointF, str]] = []
        for at, name in sorted(places):
            wide = metrics.horizontalAdvance(name)
            text_left = min(max(at - wide / 2, 0.0), self.width() - wide)
            row = next((i for i, right in enumerate(rows) if text_left > right + px(8)), len(rows))
            if row > 3:
                continue
            if row == len(rows):
                rows.append(0.0)
            rows[row] = text_left + wide
            y = start + side * (px(14) * row + px(6))
            painter.setPen(QPen(palette().colour(role), px(2)))
            painter.drawLine(
                QPointF(at, px(BASE_HEIGHT) - (px(3) if side < 0 else -px(2))),
                QPointF(at, y - (px(2) if side > 0 else -px(2))),
            )
            names.append((QPointF(text_left, y + (px(10) if side > 0 else 0)), name))
        # Draw names over lines: a line to a further row must not cross a nearer name.
        for place, name in names:
            ground = QRectF(
                place.x() - px(2), place.y() - metrics.ascent(), metrics.horizontalAdvance(name) + px(4), px(13)
            )
            painter.fillRect(ground, palette().colour("paper"))
            painter.setPen(palette().colour(role))
            painter.drawText(place, name)
