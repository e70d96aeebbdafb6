"""A plate on the track: a part's short name and the frequency there."""

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QWidget

from yarddial.ui.theme.fitting import first_that_fits, fitting_font
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.tip import set_tip


class Plate(QAbstractButton):
    """Click or Enter opens the part, after activating its route if necessary. Arrow keys move along the track.

    Alt with an arrow, or dragging, moves the part; Delete removes it; A or Insert inserts one after it.
    """

    moved = pyqtSignal(int, int)
    shifted = pyqtSignal(int)
    asked = pyqtSignal(str)
    dropped = pyqtSignal(float)

    def __init__(self, parent: QWidget, part: str) -> None:
        super().__init__(parent)
        self.part = part
        self._frequencies = [""]
        self._role = ""
        self._active = False
        self._grabbed_x: float | None = None
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_part(self, frequencies: list[str], active: bool, note: str, role: str = "") -> None:
        """Show the frequency at this point and whether the active route passes here.

        frequencies : texts of it, the exact one first. role : what the part is, shown where there is room.
        """
        self._frequencies, self._active, self._role = frequencies, active, role
        self.setAccessibleName(f"{self.part}, {frequencies[0]}" + (", on the active route" if active else ""))
        set_tip(self, note)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move along the strip."""
        if event is None:
            return
        step = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))
        asked = self._asked_by(event)
        if step and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            if step[0]:
                self.shifted.emit(step[0])
        elif step:
            self.moved.emit(*step)
        elif asked and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.asked.emit(asked)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        else:
            super().keyPressEvent(event)

    def _asked_by(self, event: QKeyEvent) -> str:
        """Action of a key. The keys are looked up here, not on import, which would take 20 ms."""
        return {
            Qt.Key.Key_A: "add",
            Qt.Key.Key_Insert: "add",
            Qt.Key.Key_Delete: "take out",
            Qt.Key.Key_Backspace: "take out",
            Qt.Key.Key_F2: "rename",
            Qt.Key.Key_Menu: "menu",
        }.get(Qt.Key(event.key()), "")

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Show all actions for the part."""
        self.asked.emit("menu")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Prepare for a click or a drag."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._grabbed_x = event.position().x()
        super().mousePressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Move the part where it is dropped on the track; on itself it is a click."""
        if event is not None and self._grabbed_x is not None:
            dragged = event.position().x() - self._grabbed_x
            self._grabbed_x = None
            if abs(dragged) > px(24):
                self.setDown(False)
                self.dropped.emit(dragged)
                return
        super().mouseReleaseEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the plate."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        if box.height() < px(24):
            self._paint_thin(painter, box)
            return
        edge = "spruce" if self._active else "hairline"
        painter.setBrush(c.colour("card"))
        painter.setPen(QPen(c.colour("slate" if self.hasFocus() else edge), 2.4 if self.hasFocus() else 1.4))
        painter.drawRoundedRect(box, px(3), px(3))
        inner = box.adjusted(px(8), px(3), -px(4), -px(3))
        self._paint_name(painter, inner, "ink" if self._active else "quiet")
        painter.setPen(c.colour("spruce" if self._active else "quiet"))
        shown = first_that_fits(self._frequencies, QFontMetricsF(font(11)), inner.width())
        painter.setFont(fitting_font(shown, inner.width(), 11))
        painter.drawText(inner, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom), shown)

    def _paint_name(self, painter: QPainter, box: QRectF, ink: str) -> None:
        """Draw the name, and what the part is where there is room."""
        flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        lettering = fitting_font(self.part, box.width(), 12, weight=500)
        metrics = QFontMetricsF(lettering)
        painter.setFont(lettering)
        painter.setPen(palette().colour(ink))
        painter.drawText(box, flags, metrics.elidedText(self.part, Qt.TextElideMode.ElideRight, box.width()))
        wide, role = metrics.horizontalAdvance(self.part), f", {self._role}"
        if self._role and wide + QFontMetricsF(font(12)).horizontalAdvance(role) <= box.width():
            painter.setFont(font(12))
            painter.setPen(palette().colour("quiet"))
            painter.drawText(box.adjusted(wide, 0, 0, 0), flags, role)

    def _paint_thin(self, painter: QPainter, box: QRectF) -> None:
        """A thin lane has room for the name only, on paper instead of in a frame."""
        painter.setFont(fitting_font(self.part, box.width() - px(6), 10, weight=500))
        width = min(QFontMetricsF(painter.font()).horizontalAdvance(self.part) + px(8), box.width())
        painter.fillRect(QRectF(box.left(), box.top(), width, box.height()), palette().colour("paper"))
        painter.setPen(palette().colour("slate" if self.hasFocus() else "quiet"))
        painter.drawText(box.adjusted(px(3), -px(3), px(2), px(3)), int(Qt.AlignmentFlag.AlignVCenter), self.part)
