"""Uncertainty of the dial as a bar of its contributions."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.yard.frequency import format_sigma
from yarddial.yard.oscillators import DialState, spoken

ROLES = ("spruce", "slate", "ochre", "quiet")


class BudgetBar(QWidget):
    """Shares by variance, as uncertainties add; named under the bar."""

    def __init__(self) -> None:
        super().__init__()
        self._parts: tuple[tuple[str, float], ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Where the dial's uncertainty comes from")

    def sizeHint(self) -> QSize:
        """A bar and a line of text for each part."""
        return QSize(px(200), px(16) + px(17) * max(len(self._parts), 1))

    def minimumSizeHint(self) -> QSize:
        """As preferred, since no part may be hidden."""
        return self.sizeHint()

    def show_state(self, state: DialState) -> None:
        """Show the contributions, largest first."""
        parts = tuple(sorted(state.budget_hz, key=lambda part: -part[1]))
        if parts != self._parts:
            self._parts = parts
            self.setAccessibleDescription(", ".join(f"{spoken(name)} {format_sigma(hertz)}" for name, hertz in parts))
            self.updateGeometry()
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the bar."""
        painter, c = QPainter(self), palette()
        total = sum(hertz**2 for _, hertz in self._parts)
        left = 0.0
        painter.setFont(font(12))
        for row, (name, hertz) in enumerate(self._parts):
            role = ROLES[min(row, len(ROLES) - 1)]
            share = hertz**2 / total if total > 0 else 0.0
            wide = share * self.width()
            painter.fillRect(QRectF(left, 0, max(wide - 1, 1), px(9)), c.colour(role))
            left += wide
            base = px(16) + px(17) * row + px(11)
            painter.fillRect(QRectF(0, base - px(8), px(8), px(8)), c.colour(role))
            painter.setPen(c.colour("ink"))
            painter.drawText(QPointF(px(14), base), spoken(name))
            painter.setPen(c.colour("quiet"))
            box = QRectF(0, base - px(12), self.width(), px(16))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), format_sigma(hertz))
