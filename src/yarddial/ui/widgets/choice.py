"""Choice among a few: text with a small mark that it opens."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QComboBox

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette


class ChoiceBox(QComboBox):
    """A drop-down drawn as text with a small triangle, at the right end of its room.

    at_left : at the left end, for one at the start of a line.
    """

    def __init__(self, name: str, *, at_left: bool = False) -> None:
        super().__init__()
        self._at_left = at_left
        self.setAccessibleName(name)
        self.setFont(font(12))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """The wheel scrolls the page; it changes the choice only with the focus."""
        if event is not None and not self.hasFocus():
            event.ignore()
            return
        super().wheelEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw text and triangle; underline it with the focus."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect())
        painter.setFont(font(12))
        painter.setPen(c.colour("ink"))
        side = Qt.AlignmentFlag.AlignLeft if self._at_left else Qt.AlignmentFlag.AlignRight
        painter.drawText(box.adjusted(0, 0, -px(16), 0), int(side | Qt.AlignmentFlag.AlignVCenter), self.currentText())
        end = painter.fontMetrics().horizontalAdvance(self.currentText()) + px(16) if self._at_left else box.right()
        x, y, r = end - px(7), box.center().y() + 1, px(4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("quiet"))
        painter.drawPolygon(
            QPolygonF([QPointF(x - r, y - r * 0.6), QPointF(x + r, y - r * 0.6), QPointF(x, y + r * 0.7)])
        )
        if self.hasFocus():
            painter.setPen(QPen(c.colour("slate"), 2))
            painter.drawLine(box.bottomLeft(), box.bottomRight())
