"""One band: mark, name, a dial scale with reach, error and spurious signals, verdict and next step."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.board.row import BandRow
from yarddial.ui.theme.fitting import first_that_fits, whole_clauses
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.mark import NAMES, draw_mark
from yarddial.ui.widgets.tip import set_tip
from yarddial.yard.bands import source_of
from yarddial.yard.frequency import format_bound, format_hertz, format_sigma

ROW_HEIGHT = 46
NAME_WIDTH, SCALE_WIDTH, SCALE_IN_LITTLE = 190, 300, 210
NEXT_STEP_WORDS = {
    "": "", "bench": "look at Bench", "measure": "measure", "apply": "enter the correction", "ghosts": "see Ghosts",
    "listen": "listen there",
}  # fmt: skip


class BandRowWidget(QWidget):
    """A band's row; a click dials it."""

    chosen = pyqtSignal(object)

    def __init__(self, row: BandRow) -> None:
        super().__init__()
        self.row = row
        self.setFixedHeight(px(ROW_HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        set_tip(self, source_of(row.band))
        self.setAccessibleName(f"{row.band.name}: {NAMES[row.mark]}, {row.verdict}")
        set_tip(self, row.verdict if row.proof is None else f"{row.verdict} Last: {row.proof.text}")

    def sizeHint(self) -> QSize:
        """As wide as the board."""
        return QSize(px(760), px(ROW_HEIGHT))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Dial the band."""
        self.chosen.emit(self.row)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Dial the band on Enter."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.row)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the row."""
        painter, c, row = QPainter(self), palette(), self.row
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus():
            painter.setPen(c.colour("slate"))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        draw_mark(painter, QPointF(px(12), px(16)), px(10), row.mark)
        painter.setFont(font(13, "sans", 500))
        painter.setPen(c.colour("ink"))
        painter.drawText(QPointF(px(28), px(20)), row.band.name)
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        painter.drawText(
            QPointF(px(28), px(36)), f"{format_bound(row.band.low_hz)} to {format_bound(row.band.high_hz)}"
        )
        wide = px(SCALE_WIDTH) if self.width() >= px(NAME_WIDTH + 2 * SCALE_WIDTH + 60) else px(SCALE_IN_LITTLE)
        self._draw_scale(painter, c, QRectF(px(NAME_WIDTH), px(8), wide, px(22)))
        left = px(NAME_WIDTH + 22) + wide
        room = self.width() - left - px(8)
        painter.setFont(font(12))
        painter.setPen(c.colour("ink"))
        metrics = QFontMetricsF(painter.font())
        painter.drawText(QPointF(left, px(20)), whole_clauses(row.verdict, metrics, room))
        painter.setFont(font(11))
        painter.setPen(c.colour("quiet"))
        more = [row.route] if row.route else []
        more += ["gain known"] if row.gains else []
        more += [f"next: {NEXT_STEP_WORDS[row.todo]}"] if row.todo else []
        text = whole_clauses(" · ".join(more), QFontMetricsF(painter.font()), room)
        painter.drawText(QPointF(left, px(36)), text)
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawLine(QPointF(0, self.height() - 1), QPointF(self.width(), self.height() - 1))

    def _draw_scale(self, painter: QPainter, c: Palette, box: QRectF) -> None:
        """Draw the scale, thick where reached; error and uncertainty over it, at a full width of the mode's
        tolerance.
        """
        row, base = self.row, box.bottom()
        painter.setPen(QPen(c.colour("hairline"), px(2)))
        painter.drawLine(QPointF(box.left(), base), QPointF(box.right(), base))
        if row.state is None:
            return
        painter.setPen(QPen(c.colour("spruce"), px(3)))
        painter.drawLine(QPointF(box.left(), base), QPointF(box.left() + box.width() * row.reached, base))
        for ghost in row.ghosts:
            share = (ghost.dial_hz - row.band.low_hz) / (row.band.high_hz - row.band.low_hz)
            x = box.left() + share * box.width()
            painter.fillRect(QRectF(x - px(2.5), base + px(2), px(5), px(5)), c.colour("vermilion"))
        # The middle is no error; the ends are the mode's tolerance.
        middle, half = box.center().x(), box.width() / 2
        scale = half / row.mode.tolerance_hz
        top = box.top() + px(2)
        painter.setPen(QPen(c.colour("hairline"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(middle, box.top()), QPointF(middle, base - px(2)))
        low = middle + max(min((row.error_hz - row.sigma_hz) * scale, half), -half)
        high = middle + max(min((row.error_hz + row.sigma_hz) * scale, half), -half)
        role = "spruce" if abs(row.error_hz) + 2 * row.sigma_hz <= row.mode.tolerance_hz else "ochre"
        painter.fillRect(QRectF(low, top, max(high - low, px(2)), px(7)), c.colour(role, 0.85))
        painter.setFont(font(10, "mono"))
        painter.setPen(c.colour("quiet"))
        text = f"{format_hertz(row.error_hz, row.sigma_hz)} {format_sigma(row.sigma_hz)}"
        if not row.is_measured:
            text = format_sigma(row.sigma_hz)
        painter.drawText(QRectF(box.left(), box.bottom() + px(2), box.width(), px(14)), 0, text)
        right = int(Qt.AlignmentFlag.AlignRight)
        allowed = f"allows {format_bound(row.mode.tolerance_hz)}"
        metrics = QFontMetricsF(painter.font())
        room = box.width() - metrics.horizontalAdvance(text) - px(8)
        shown = first_that_fits([f"{row.mode.name} {allowed}", allowed], metrics, room)
        painter.drawText(QRectF(box.left(), box.bottom() + px(2), box.width(), px(14)), right, shown)
