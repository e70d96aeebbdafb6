"""A gap in the active track, where a part can be inserted."""

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.tip import set_tip

GAP_SIZE = 16


class Gap(QAbstractButton):
    """A small plus on the track; click, Enter or A inserts a part. A yard's first one has a label."""

    moved = pyqtSignal(int, int)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.index = 0
        self._words = ""
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_place(self, index: int, after: str, words: str) -> None:
        """Set its position; the label says what the route still lacks."""
        self.index, self._words = index, words
        self.setAccessibleName(words or f"Put a part in behind {after}")
        set_tip(self, f"{words or f'Put a part in behind {after}'} (A)")
        self.update()

    def wanted_width(self) -> int:
        """Width for its label."""
        from PyQt6.QtGui import QFontMetricsF

        width = QFontMetricsF(font(12, "sans", 500)).horizontalAdvance(self._words) if self._words else 0
        return round(px(GAP_SIZE) + (width + px(14) if width else 0))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter inserts a part; arrows move along the strip."""
        if event is None:
            return
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step:
            self.moved.emit(step, 0)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_A, Qt.Key.Key_Insert):
            self.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the plus, quiet until it has the focus."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        awake = self.hasFocus() or self.underMouse() or bool(self._words)
        middle, r = QPointF(px(GAP_SIZE) / 2, self.height() / 2), px(GAP_SIZE) / 2 - 1.5
        painter.setBrush(c.colour("paper"))
        painter.setPen(QPen(c.colour("slate" if self.hasFocus() else "spruce" if awake else "hairline"), 1.6))
        painter.drawEllipse(middle, r, r)
        painter.setPen(QPen(c.colour("spruce" if awake else "quiet"), 1.6))
        arm = r * 0.55
        painter.drawLine(QPointF(middle.x() - arm, middle.y()), QPointF(middle.x() + arm, middle.y()))
        painter.drawLine(QPointF(middle.x(), middle.y() - arm), QPointF(middle.x(), middle.y() + arm))
        if self._words:
            painter.setFont(font(12, "sans", 500))
            painter.setPen(c.colour("slate" if self.hasFocus() else "spruce"))
            box = QRectF(self.rect()).adjusted(px(GAP_SIZE) + px(6), 0, 0, 0)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), self._words)
