"""Slide rule under the dial: its neighbourhood with bands, known stations and the limits of the route."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.axis import nice_step, tick_text
from yarddial.yard.bands import Band, bands_within


class SlideRule(QWidget):
    """Centred on the dial; a click dials the frequency clicked."""

    dialled = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self._dial_hz = 10e6
        self._served: tuple[tuple[float, float], ...] = ()
        self._known: tuple[tuple[float, str], ...] = ()
        self.bands: tuple[Band, ...] = ()
        self._rig_hz: float | None = None
        self._transmit_hz: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(px(50))
        self.setAccessibleName("Neighbourhood of the dial")

    def sizeHint(self) -> QSize:
        """Preferred size: wide and low."""
        return QSize(px(320), px(50))

    def show_place(
        self,
        dial_hz: float,
        served: tuple[tuple[float, float], ...],
        known: tuple[tuple[float, str], ...],
        bands: tuple[Band, ...] = (),
    ) -> None:
        """Show a dial frequency, the ranges its route serves, known stations, and the region's bands."""
        self._dial_hz, self._served, self._known, self.bands = dial_hz, served, known, bands
        self.update()

    def show_rig(self, place_hz: float | None, transmit_hz: float | None) -> None:
        """Show a transceiver's frequency while the receiver is elsewhere, and its transmit frequency in split."""
        if (place_hz, transmit_hz) != (self._rig_hz, self._transmit_hz):
            self._rig_hz, self._transmit_hz = place_hz, transmit_hz
            self.update()

    def _half_hz(self) -> float:
        return nice_step(max(self._dial_hz, 1e4) * 0.012, 1)

    def _x(self, hertz: float) -> float:
        return self.width() / 2 + (hertz - self._dial_hz) / self._half_hz() * self.width() / 2

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Dial the clicked frequency."""
        if event is not None:
            share = (event.position().x() - self.width() / 2) / (self.width() / 2)
            step = self._half_hz() / 1000
            self.dialled.emit(round((self._dial_hz + share * self._half_hz()) / step) * step)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw bands, ruler, stations and the pointer."""
        painter, c = QPainter(self), palette()
        base = px(28)
        self._draw_bands(painter, c, base)
        self._draw_ruler(painter, c, base)
        for hertz, _ in self._known:
            x = self._x(hertz)
            if 0 <= x <= self.width():
                painter.setPen(QPen(c.colour("spruce"), 2))
                painter.drawLine(QPointF(x, base - px(12)), QPointF(x, base))
        self._draw_rig(painter, c, base)
        painter.setPen(QPen(c.colour("vermilion"), 2))
        middle = self.width() / 2
        painter.drawLine(QPointF(middle, base - px(16)), QPointF(middle, base + px(9)))

    def _draw_rig(self, painter: QPainter, c: Palette, base: float) -> None:
        """Draw a bracket at its frequency, and a short thick line at its transmit frequency."""
        if self._rig_hz is not None and 0 <= (x := self._x(self._rig_hz)) <= self.width():
            painter.setPen(QPen(c.colour("slate"), 2))
            painter.drawPolyline(
                QPointF(x - px(4), base - px(11)), QPointF(x - px(4), base + px(5)),
                QPointF(x + px(4), base + px(5)), QPointF(x + px(4), base - px(11)),
            )  # fmt: skip
        if self._transmit_hz is not None and 0 <= (x := self._x(self._transmit_hz)) <= self.width():
            painter.setPen(QPen(c.colour("ochre"), px(4), cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(x, base - px(11)), QPointF(x, base + px(5)))

    def _draw_bands(self, painter: QPainter, c: Palette, base: float) -> None:
        low, high = self._dial_hz - self._half_hz(), self._dial_hz + self._half_hz()
        painter.setFont(font(10))
        metrics = QFontMetricsF(painter.font())
        for band in bands_within(low, high, self.bands):
            left, right = max(self._x(band.low_hz), 0), min(self._x(band.high_hz), self.width())
            painter.setPen(QPen(c.colour("slate"), 3, cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(left, base - px(8)), QPointF(right, base - px(8)))
            if right - left > metrics.horizontalAdvance(band.name):
                painter.setPen(c.colour("slate"))
                painter.drawText(QPointF(left + px(2), base - px(13)), band.name)

    def _draw_ruler(self, painter: QPainter, c: Palette, base: float) -> None:
        painter.setPen(QPen(c.colour("hairline"), 2))
        painter.drawLine(QPointF(0, base), QPointF(self.width(), base))
        painter.setPen(QPen(c.colour("ink"), 1.4))
        for low_hz, high_hz in self._served:
            left, right = max(self._x(low_hz), 0), min(self._x(high_hz), self.width())
            if right > left:
                painter.drawLine(QPointF(left, base), QPointF(right, base))
        half = self._half_hz()
        step = nice_step(2 * half, 4)
        unit = 1e9 if self._dial_hz >= 1e9 else 1e6 if self._dial_hz >= 1e6 else 1e3
        painter.setFont(font(10, "mono"))
        metrics = QFontMetricsF(painter.font())
        number = int((self._dial_hz - half) / (step / 10))
        while number * step / 10 <= self._dial_hz + half:
            x, whole = self._x(number * step / 10), number % 10 == 0
            if number >= 0 and 0 <= x <= self.width():
                painter.setPen(c.colour("quiet"))
                painter.drawLine(QPointF(x, base), QPointF(x, base + px(8 if whole else 4)))
                if whole:
                    text = tick_text(number * step / 10 / unit, step / unit)
                    width = metrics.horizontalAdvance(text)
                    left = min(max(x - width / 2, 0), self.width() - width)
                    painter.drawText(QRectF(left, base + px(9), width + 2, px(13)), text)
            number += 1
