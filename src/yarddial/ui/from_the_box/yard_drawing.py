"""Drawing of a yard that is not built yet: its parts and the routes over them."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.fitting import fitting_font
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.yard_strip.layout import lay_out
from yarddial.ui.yard_strip.strip import role_of
from yarddial.yard.station import Station

# Design pixels of a lane, and the most lanes that are given room.
LANE_HEIGHT, MAX_LANES = 50, 5
EMPTY = "Your yard is drawn here as you answer."


class YardDrawing(QWidget):
    """Only to be looked at; the strip of the window is where it is changed."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Drawing of the yard")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._station = Station("")
        self.setFixedHeight(px(2 * LANE_HEIGHT))

    def show_station(self, station: Station) -> None:
        """Draw a station with its parts."""
        self._station = station
        lanes = min(max(len(station.routes), 2), MAX_LANES)
        self.setFixedHeight(px(LANE_HEIGHT * lanes))
        routes = [" to ".join(route.parts) for route in station.routes]
        self.setAccessibleDescription("; ".join(routes) or EMPTY)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw tracks first, then plates."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not any(route.parts for route in self._station.routes):
            painter.setFont(font(13))
            painter.setPen(c.colour("quiet"))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), EMPTY)
            return
        layout = lay_out(self._station, self.width() - px(4), px(2), self.height() - px(2), px(1))
        painter.setPen(QPen(c.colour("spruce"), px(2)))
        for corners in layout.tracks.values():
            path = QPainterPath(QPointF(*corners[0]))
            for x, y in corners[1:]:
                path.lineTo(x, y)
            painter.drawPath(path)
        for spot in layout.plates:
            box = QRectF(spot.x + 1, spot.y, spot.width, spot.height)
            painter.setBrush(c.colour("card"))
            painter.setPen(QPen(c.colour("spruce"), 1.2))
            painter.drawRoundedRect(box, px(3), px(3))
            inner = box.adjusted(px(7), px(3), -px(4), -px(3))
            lettering = fitting_font(spot.part, inner.width(), 12, weight=500)
            painter.setFont(lettering)
            painter.setPen(c.colour("ink"))
            elided = QFontMetricsF(lettering).elidedText(spot.part, Qt.TextElideMode.ElideRight, inner.width())
            has_room = box.height() > px(30)
            place = Qt.AlignmentFlag.AlignTop if has_room else Qt.AlignmentFlag.AlignVCenter
            painter.drawText(inner, int(Qt.AlignmentFlag.AlignLeft | place), elided)
            if has_room:
                painter.setFont(font(11))
                painter.setPen(c.colour("quiet"))
                what = role_of(self._station.part(spot.part))
                painter.drawText(inner, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom), what)
