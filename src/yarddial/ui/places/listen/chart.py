"""Listen's pen recorder: dial frequencies up its side, the pointer, the filter, known signals."""

from math import ceil, floor

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen, QWheelEvent

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette
from yarddial.ui.widgets.axis import nice_step, tick_text
from yarddial.ui.widgets.spectrogram_chart import SpectrogramChart
from yarddial.yard.frequency import MINUS, format_bound, format_frequency
from yarddial.yard.level import Level, band_of

# Distance from the pointer within which an edge is grabbed, logical pixels.
EDGE_GRIP_PX = 6
# Priority of names where there is no room for all: stations, then cautions, then the rest.
RANKS = ("slate", "ochre", "quiet")
# A filter whose middle is nearer to the dial than this share of its width receives both sidebands.
CENTRED_SHARE = 0.1
# Wheel angle of one notch.
WHEEL_NOTCH = 120


class ListenChart(SpectrogramChart):
    """Click or drag tunes; edges are dragged; the wheel steps at the axis or with Shift, and zooms with Ctrl."""

    SCALE_WIDTH = 84

    tuned = pyqtSignal(float)
    edges_dragged = pyqtSignal(float, float)
    stepped = pyqtSignal(int)
    zoomed = pyqtSignal(float)
    pointed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.middle_hz = 0.0
        self.dial_hz = 0.0
        self.edges_hz = (0.0, 0.0)
        # Offset from dBFS to dBm at the receiver's socket; None before a calibration.
        self.level_offset_db: float | None = None
        self.known: tuple[tuple[float, str, str], ...] = ()
        self._gaps: tuple[tuple[float, float], ...] = ()
        self.keeps_extremes = True
        self._held = ""
        self._turned = 0
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(
            "Pen recorder: frequency upwards, time rightwards; click tunes, the wheel steps at the axis"
        )

    def show_place(
        self, middle_hz: float, dial_hz: float, edges_hz: tuple[float, float], known: tuple[tuple[float, str, str], ...]
    ) -> None:
        """Show the middle and the dial, the filter edges about it, and known signals as (hertz, name, role)."""
        now = (middle_hz, dial_hz, edges_hz, known)
        if now != (self.middle_hz, self.dial_hz, self.edges_hz, self.known):
            self.middle_hz, self.dial_hz, self.edges_hz, self.known = now
            self.update()

    def show_gaps(self, gaps: tuple[tuple[float, float], ...]) -> None:
        """Show gaps without signals, hertz."""
        if gaps != self._gaps:
            self._gaps = gaps
            self.update()

    def _hertz(self, y: float) -> float:
        chart, _ = self.areas()
        return self.middle_hz + (chart.center().y() - y) / (chart.height() / 2) * self._half_span_hz

    def place_at(self, chart: QRectF, hertz: float) -> float:
        return self.y_of(chart, hertz - self.middle_hz)

    def _ticks(self, limit: int) -> tuple[list[tuple[float, str]], str]:
        """Ticks at round dial frequencies."""
        step = nice_step(2 * self._half_span_hz, limit)
        scale, unit = (1e6, "MHz") if self.middle_hz >= 1e6 else (1e3, "kHz")
        first = ceil((self.middle_hz - self._half_span_hz) / step)
        last = floor((self.middle_hz + self._half_span_hz) / step)
        return [
            (n * step - self.middle_hz, tick_text(n * step / scale, step / scale)) for n in range(first, last + 1)
        ], unit

    def _draw_marks(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        low, high = (self.place_at(chart, self.dial_hz + edge) for edge in self.edges_hz)
        top, bottom = max(high, chart.top()), min(low, chart.bottom())
        if bottom > top:
            painter.fillRect(QRectF(chart.left(), top, chart.width(), bottom - top), c.colour("spruce", 0.10))
            painter.setPen(QPen(c.colour("spruce"), 1))
            for edge in (low, high):
                if chart.top() <= edge <= chart.bottom():
                    painter.drawLine(QPointF(chart.left(), edge), QPointF(chart.right(), edge))
        for low_hz, high_hz in self._gaps:
            top, bottom = (
                max(self.place_at(chart, high_hz), chart.top()),
                min(self.place_at(chart, low_hz), chart.bottom()),
            )
            if bottom - top > px(3):
                # A bracket at the left edge marks room for a call.
                painter.setPen(QPen(c.colour("spruce"), px(2)))
                painter.drawPolyline(
                    QPointF(chart.left() + px(7), top + 1), QPointF(chart.left() + px(2), top + 1),
                    QPointF(chart.left() + px(2), bottom - 1), QPointF(chart.left() + px(7), bottom - 1),
                )  # fmt: skip
        dial = self.place_at(chart, self.dial_hz)
        if chart.top() <= dial <= chart.bottom():
            painter.setPen(QPen(c.colour("vermilion"), px(2)))
            painter.drawLine(QPointF(chart.left() - px(5), dial), QPointF(chart.right(), dial))
        self._draw_known(painter, c, chart)

    def _draw_known(self, painter: QPainter, c: Palette, chart: QRectF) -> None:
        """Write names at the right edge, stations first, without overlaps; a short line at each frequency."""
        painter.setFont(font(11, "sans", 500))
        metrics = painter.fontMetrics()
        taken: list[float] = []
        for hertz, name, role in sorted(self.known, key=lambda known: (RANKS.index(known[2]), -known[0])):
            y = self.place_at(chart, hertz)
            if not chart.top() <= y <= chart.bottom():
                continue
            painter.setPen(QPen(c.colour(role), 1))
            painter.drawLine(QPointF(chart.right() - px(14), y), QPointF(chart.right(), y))
            if any(abs(y - other) < px(14) for other in taken):
                continue
            taken.append(y)
            wide = metrics.horizontalAdvance(name)
            left, base = (
                chart.right() - px(18) - wide,
                min(max(y + px(4), chart.top() + px(12)), chart.bottom() - px(3)),
            )
            painter.fillRect(QRectF(left - px(3), base - px(11), wide + px(6), px(14)), c.colour("card", 0.85))
            painter.drawText(QPointF(left, base), name)

    # What the pointer does

    def _grip(self, y: float) -> str:
        chart, _ = self.areas()
        places = {
            name: self.place_at(chart, self.dial_hz + e) for name, e in zip(("low", "high"), self.edges_hz, strict=True)
        }
        name = min(places, key=lambda key: abs(places[key] - y))
        # Where the filter is only a line, a click tunes.
        is_wide = abs(places["low"] - places["high"]) > 3 * px(EDGE_GRIP_PX)
        return name if is_wide and abs(places[name] - y) <= px(EDGE_GRIP_PX) else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Grab an edge, or tune."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        y = event.position().y()
        self._held = self._grip(y) or "dial"
        if self._held == "dial":
            self.tuned.emit(self._hertz(y))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Describe what is under the pointer, or drag."""
        if event is None:
            return
        y = event.position().y()
        hertz = self._hertz(y)
        self.pointed.emit(self._readout(event.position().x(), hertz))
        if self._held == "dial":
            self.tuned.emit(hertz)
        elif self._held:
            alone = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.edges_dragged.emit(*dragged_edges(self.edges_hz, self._held, hertz - self.dial_hz, alone))
        else:
            shape = Qt.CursorShape.SizeVerCursor if self._grip(y) else Qt.CursorShape.CrossCursor
            if self.cursor().shape() != shape:
                self.setCursor(shape)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Stop dragging."""
        self._held = ""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom with Ctrl; step the dial at the axis, or with Shift; elsewhere the page scrolls."""
        if event is None:
            return
        on_axis = event.position().x() < self.areas()[0].left()
        if not on_axis and not event.modifiers():
            event.ignore()
            return
        event.accept()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            # As fine as the wheel or pad turns: two notches double it.
            self.zoomed.emit(-event.angleDelta().y() / WHEEL_NOTCH / 2)
            return
        # Qt turns the wheel sideways with some keys.
        self._turned += event.angleDelta().y() or event.angleDelta().x()
        steps = int(self._turned / WHEEL_NOTCH)
        self._turned -= steps * WHEEL_NOTCH
        if steps:
            self.stepped.emit(steps)

    def _readout(self, x: float, hertz: float) -> str:
        """Frequency and level under the pointer."""
        chart, _ = self.areas()
        row_hz = 2 * self._half_span_hz / max(self._levels.shape[1], 1)
        text = format_frequency(hertz, floor(np.log10(max(row_hz, 0.1))))
        if not self._count or not chart.contains(QPointF(x, chart.center().y())):
            return text
        shown = min(self._count, int(chart.width()))
        column = int(min(max(x - chart.left(), 0), shown - 1))
        row = int((hertz - self.middle_hz + self._half_span_hz) / row_hz)
        if not 0 <= row < self._levels.shape[1]:
            return text
        level_db = float(self._levels[(self._count - shown + column) % len(self._levels)][row])
        beside = f"in {format_bound(round(row_hz, 1))}"
        if self.level_offset_db is None:
            return f"{text}, {level_db:.0f} dBFS {beside}".replace("-", MINUS)
        level = Level(level_db + self.level_offset_db, band_of(hertz))
        return f"{text}, {level.said()} at the socket {beside}"


def dragged_edges(edges_hz: tuple[float, float], held: str, offset_hz: float, alone: bool) -> tuple[float, float]:
    """Filter edges after dragging one to an offset from the dial.

    The other edge of a filter about the dial moves with it, since both sidebands are wanted; that of a sideband stays.
    alone : only the dragged one moves in any case.
    """
    low_hz, high_hz = edges_hz
    is_about_dial = abs(low_hz + high_hz) <= CENTRED_SHARE * (high_hz - low_hz)
    other_hz = -offset_hz if is_about_dial and not alone else high_hz if held == "low" else low_hz
    return (offset_hz, other_hz) if held == "low" else (other_hz, offset_hz)
