"""Marks that differ by shape as well as colour: disc good, triangle look here, square stop, ring not known yet."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import mark_role, palette
from yarddial.ui.widgets.tip import set_tip

NAMES = {"good": "good", "look": "look here", "stop": "stop", "unknown": "not known yet"}


def draw_mark(painter: QPainter, centre: QPointF, size: float, mark: str) -> None:
    """Draw a mark of a given width."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = palette().colour(mark_role(mark))
    r = size / 2
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    if mark == "good":
        painter.drawEllipse(centre, r, r)
    elif mark == "look":
        x, y = centre.x(), centre.y()
        painter.drawPolygon(
            QPolygonF(
                [QPointF(x, y - r * 1.05), QPointF(x + r * 1.15, y + r * 0.9), QPointF(x - r * 1.15, y + r * 0.9)]
            )
        )
    elif mark == "stop":
        painter.drawRect(QRectF(centre.x() - r, centre.y() - r, size, size))
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, max(size / 6, 1.5)))
        painter.drawEllipse(centre, r * 0.85, r * 0.85)


class MarkSign(QWidget):
    """A mark as a widget."""

    def __init__(self, mark: str = "unknown", size: int = 11) -> None:
        super().__init__()
        self._size = size
        self._mark = ""
        self.set_mark(mark)
        self.setFixedSize(self.sizeHint())

    def set_mark(self, mark: str) -> None:
        """Show another mark."""
        if mark != self._mark:
            self._mark = mark
            self.setAccessibleName(NAMES.get(mark, mark))
            set_tip(self, NAMES.get(mark, mark))
            self.update()

    def sizeHint(self) -> QSize:
        """The mark with a small margin."""
        return QSize(px(self._size + 4), px(self._size + 4))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the mark."""
        painter = QPainter(self)
        draw_mark(painter, QPointF(self.width() / 2, self.height() / 2), px(self._size), self._mark)
