"""All routes for the dial frequency, the best first, with the reason and the coverage on one logarithmic scale."""

from math import log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.ui.theme.fitting import whole_clauses
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.mark import draw_mark
from yarddial.ui.widgets.tip import set_tip
from yarddial.yard.frequency import format_bound
from yarddial.yard.reach import HIGH_HZ, LOW_HZ, Choice, Segment

ROW_HEIGHT, FOOT_HEIGHT = 46, 36


class RouteList(QWidget):
    """Rows of routes. Click or Enter activates one; arrows move; P makes it the first choice."""

    chosen = pyqtSignal(str)
    preferred = pyqtSignal(str, bool)
    renamed = pyqtSignal(str)
    removed = pyqtSignal(str)
    asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.choices: tuple[Choice, ...] = ()
        self._coverages: dict[str, tuple[Segment, ...]] = {}
        self._active = ""
        self._dial_hz = 10e6
        self.row = 0
        self.setAccessibleName("Routes for the dial's place, the best first")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """High enough for all rows and the scale."""
        return QSize(px(300), px(ROW_HEIGHT) * len(self.choices) + px(FOOT_HEIGHT) if self.choices else px(24))

    def show_routes(
        self, choices: tuple[Choice, ...], coverages: dict[str, tuple[Segment, ...]], active: str, dial_hz: float
    ) -> None:
        """Show all routes for a frequency."""
        resized = len(choices) != len(self.choices)
        self.choices, self._coverages, self._active, self._dial_hz = choices, coverages, active, dial_hz
        self.row = min(self.row, max(len(choices) - 1, 0))
        self.setAccessibleDescription("; ".join(f"{c.route.name}: {c.reason}" for c in choices))
        if resized:
            self.updateGeometry()
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move, Enter activates, P prefers, F2 renames, Delete removes the route."""
        if event is None or not self.choices:
            super().keyPressEvent(event)
            return
        choice = self.choices[self.row]
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.row = min(max(self.row + (1 if key == Qt.Key.Key_Down else -1), 0), len(self.choices) - 1)
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(choice.route.name)
        elif key == Qt.Key.Key_P:
            self.preferred.emit(choice.route.name, not choice.preferred)
        elif key == Qt.Key.Key_F2:
            self.renamed.emit(choice.route.name)
        elif key == Qt.Key.Key_Delete:
            self.removed.emit(choice.route.name)
        elif key == Qt.Key.Key_Menu:
            self.asked.emit(choice.route.name)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Activate the clicked route."""
        row = -1 if event is None else int(event.position().y() // px(ROW_HEIGHT))
        if 0 <= row < len(self.choices):
            self.row = row
            if event is not None and event.button() == Qt.MouseButton.LeftButton:
                self.chosen.emit(self.choices[row].route.name)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Describe the segment under the pointer in the tool tip."""
        if event is not None:
            set_tip(self, self.words_at(event.position()))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Show the actions for a route."""
        if self.choices:
            self.asked.emit(self.choices[self.row].route.name)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Show the row that has the focus."""
        self.update()
        super().focusInEvent(event)

    def words_at(self, place: QPointF) -> str:
        row = int(place.y() // px(ROW_HEIGHT))
        if not 0 <= row < len(self.choices):
            return ""
        share = (place.x() - px(4)) / max(self.width() - px(8), 1)
        hertz = 10 ** (log10(LOW_HZ) + share * (log10(HIGH_HZ) - log10(LOW_HZ)))
        name = self.choices[row].route.name
        for segment in self._coverages.get(name, ()):
            if segment.low_hz <= hertz <= segment.high_hz:
                words = {"reached": "reached", "weak": "weak", "hole": "a hole", "out": "out of range"}[segment.state]
                words += ", inverted" if segment.inverted and segment.state in ("reached", "weak") else ""
                why = f": {segment.reason}" if segment.reason else ""
                return f"{format_bound(segment.low_hz)} to {format_bound(segment.high_hz)}: {words}{why}"
        return ""

    def x_of(self, hertz: float) -> float:
        share = (log10(min(max(hertz, LOW_HZ), HIGH_HZ)) - log10(LOW_HZ)) / (log10(HIGH_HZ) - log10(LOW_HZ))
        return px(4) + share * (self.width() - px(8))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw rows, scale and pointer."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bottom = px(ROW_HEIGHT) * len(self.choices)
        if not self.choices:
            painter.setPen(c.colour("quiet"))
            painter.setFont(font(13))
            painter.drawText(QPointF(px(2), px(16)), "None yet: the first part that is put in begins one.")
            return
        painter.setFont(font(10, "mono"))
        metrics = QFontMetricsF(painter.font())
        for power in range(4, 11):
            x, text = self.x_of(10.0**power), format_bound(10.0**power)
            painter.setPen(QPen(c.colour("hairline"), 1))
            for row in range(len(self.choices)):
                painter.drawLine(QPointF(x, row * px(ROW_HEIGHT) + px(30)), QPointF(x, row * px(ROW_HEIGHT) + px(42)))
            if power % 2 and self.x_of(1e6) - self.x_of(1e5) < 1.3 * metrics.horizontalAdvance("100 kHz"):
                continue
            painter.setPen(c.colour("quiet"))
            left = min(max(x - metrics.horizontalAdvance(text) / 2, 0), self.width() - metrics.horizontalAdvance(text))
            painter.drawText(QPointF(left, bottom + px(11)), text)
        for row, choice in enumerate(self.choices):
            self._paint_row(painter, row * px(ROW_HEIGHT), choice, self.hasFocus() and row == self.row)
        painter.setPen(QPen(c.colour("vermilion"), 2))
        x = self.x_of(self._dial_hz)
        for row in range(len(self.choices)):
            painter.drawLine(QPointF(x, row * px(ROW_HEIGHT) + px(28)), QPointF(x, row * px(ROW_HEIGHT) + px(44)))
        self._paint_legend(painter, bottom + px(18))

    def _paint_row(self, painter: QPainter, y: float, choice: Choice, focused: bool) -> None:
        c, active = palette(), choice.route.name == self._active
        mark = {"reached": "good", "weak": "look", "hole": "unknown", "out": "unknown"}[choice.reach.state]
        draw_mark(painter, QPointF(px(9), y + px(12)), px(9), mark)
        painter.setFont(font(13, "sans", 600 if active else 500))
        metrics = QFontMetricsF(painter.font())
        width = metrics.horizontalAdvance(choice.route.name)
        painter.setPen(c.colour("slate" if focused else "ink" if active or choice.reach.is_reached else "quiet"))
        painter.drawText(QPointF(px(20), y + px(16)), choice.route.name)
        if focused:
            painter.setPen(QPen(c.colour("slate"), 2))
            painter.drawLine(QPointF(px(20), y + px(20)), QPointF(px(20) + width, y + px(20)))
        painter.setFont(font(12))
        painter.setPen(c.colour("quiet"))
        left = px(20) + width + px(10)
        reason = whole_clauses(choice.reason, QFontMetricsF(painter.font()), self.width() - left - px(2))
        painter.drawText(QPointF(left, y + px(16)), reason)
        for segment in self._coverages.get(choice.route.name, ()):
            self._paint_segment(painter, y + px(32), segment, active)

    def _paint_segment(self, painter: QPainter, y: float, segment: Segment, active: bool) -> None:
        """Draw a bar where reached, two rails where inverted, a thread where only weak."""
        left, right = self.x_of(segment.low_hz), self.x_of(segment.high_hz)
        colour = palette().colour("spruce" if active else "slate", 1.0 if active else 0.6)
        width, tall = max(right - left, 2.0), px(8)
        if segment.state == "weak":
            painter.fillRect(QRectF(left, y + tall / 2 - 1, width, 2), colour)
        elif segment.state == "reached" and segment.inverted:
            painter.fillRect(QRectF(left, y, width, px(3)), colour)
            painter.fillRect(QRectF(left, y + tall - px(3), width, px(3)), colour)
        elif segment.state == "reached":
            painter.fillRect(QRectF(left, y, width, tall), colour)

    def _paint_legend(self, painter: QPainter, y: float) -> None:
        c = palette()
        painter.setFont(font(11))
        metrics = QFontMetricsF(painter.font())
        x = float(px(4))
        for state, inverted, words in (
            ("reached", False, "reached"),
            ("reached", True, "inverted"),
            ("weak", False, "weak"),
        ):
            sample = Segment(0.0, 1.0, state, inverted)  # type: ignore[arg-type]
            self._paint_sample(painter, x, y + px(3), sample)
            painter.setPen(c.colour("quiet"))
            painter.drawText(QPointF(x + px(24), y + px(11)), words)
            x += px(24) + metrics.horizontalAdvance(words) + px(18)

    def _paint_sample(self, painter: QPainter, x: float, y: float, segment: Segment) -> None:
        colour, tall = palette().colour("slate", 0.8), px(8)
        if segment.state == "weak":
            painter.fillRect(QRectF(x, y + tall / 2 - 1, px(18), 2), colour)
        elif segment.inverted:
            painter.fillRect(QRectF(x, y, px(18), px(3)), colour)
            painter.fillRect(QRectF(x, y + tall - px(3), px(18), px(3)), colour)
        else:
            painter.fillRect(QRectF(x, y, px(18), tall), colour)
