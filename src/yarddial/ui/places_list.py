"""List of the places at the left, in the order of the work, each with its mark and verdict."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from yarddial.session.verdict import Verdict
from yarddial.ui.receiver_owner import ReceiverOwner
from yarddial.ui.theme.fitting import fitting_font, whole_clauses
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.mark import NAMES, draw_mark
from yarddial.ui.widgets.tip import set_tip

# Design pixels: height from which the verdict fits under the name.
TWO_LINES = 31


class PlaceButton(QAbstractButton):
    """One place in the list."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self._verdict = Verdict("unknown", "", "", "")
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Preferred)
        self.setMaximumHeight(px(50))

    def sizeHint(self) -> QSize:
        """As wide as the list."""
        return QSize(px(176), px(50))

    def minimumSizeHint(self) -> QSize:
        """In a low window the name alone; the verdict is then in the tool tip."""
        return QSize(px(176), px(24))

    def show_verdict(self, verdict: Verdict) -> None:
        """Show a place's mark and line."""
        self._verdict = verdict
        self.setAccessibleName(f"{self._name}: {NAMES[verdict.mark]}, {verdict.short}")
        set_tip(self, verdict.sentence)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter opens; Space starts the receiver, as everywhere in the window."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
        elif event is not None and event.key() == Qt.Key.Key_Space:
            event.ignore()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the place's row."""
        painter, c = QPainter(self), palette()
        if self.isChecked():
            painter.fillRect(self.rect(), c.colour("card"))
            painter.fillRect(QRectF(0, 0, px(3), self.height()), c.colour("vermilion"))
        if self.hasFocus():
            painter.setPen(c.colour("slate"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        width = self.width() - px(44)
        two_lines = self.height() >= px(TWO_LINES)
        # In a low window the two lines move together.
        squeezed = min(max((px(50) - self.height()) / px(50 - TWO_LINES), 0.0), 1.0)
        middle = px(23) - squeezed * px(8) if two_lines else self.height() / 2 + px(5)
        below = px(41) - squeezed * px(12)
        draw_mark(painter, QPointF(px(22), middle - px(5)), px(10), self._verdict.mark)
        painter.setFont(font(14, "sans", 500))
        painter.setPen(c.colour("ink"))
        painter.drawText(QPointF(px(38), middle), self._name)
        if two_lines:
            painter.setFont(fitting_font(self._verdict.short, width, 11))
            painter.setPen(c.colour("quiet"))
            metrics = QFontMetricsF(painter.font())
            short = whole_clauses(self._verdict.short, metrics, width) or metrics.elidedText(
                self._verdict.short, Qt.TextElideMode.ElideRight, width
            )
            painter.drawText(QPointF(px(38), below), short)


class PlacesList(QWidget):
    """List of the existing places."""

    chosen = pyqtSignal(int)

    def __init__(self, names: list[str]) -> None:
        super().__init__()
        self.buttons = [PlaceButton(name) for name in names]
        self.setAccessibleName("Places")
        self.setFixedWidth(px(176))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, px(8), 0, 0)
        layout.setSpacing(px(2))
        for i, place in enumerate(self.buttons):
            place.clicked.connect(lambda _=False, n=i: self.chosen.emit(n))
            layout.addWidget(place)
        layout.addStretch(1)
        self.owner = ReceiverOwner()
        layout.addWidget(self.owner)

    def show_chosen(self, index: int) -> None:
        """Mark the place that is open."""
        for i, place in enumerate(self.buttons):
            place.setChecked(i == index)

    def show_verdicts(self, verdicts: list[Verdict]) -> None:
        """Show all marks and lines."""
        for place, verdict in zip(self.buttons, verdicts, strict=True):
            place.show_verdict(verdict)
