"""Picture of a comparison: a dot for each pair, the stated interval, and zero."""

from math import log10

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.comparison.difference import Difference
from yarddial.session.listening.comparison import Pair
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.scales import scale_up

MIN_SPAN_DB = 6.0


class ComparisonPicture(QWidget):
    """Pairs to the right in the order measured, second against first up, dB of signal over noise."""

    def __init__(self) -> None:
        super().__init__()
        self._over_db: list[float] = []
        self._pair_count = 1
        self._found: Difference | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Signal over noise, second against first, pair by pair")

    def sizeHint(self) -> QSize:
        """As on the first sheet."""
        return QSize(px(600), px(180))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(130))

    def show_pairs(self, pairs: tuple[Pair, ...], pair_count: int, difference: Difference | None) -> None:
        """Show what has been measured. pair_count : of the complete comparison."""
        self._pair_count = pair_count
        self._over_db = [_over_db(pair) for pair in pairs]
        self._found = difference
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the interval, zero, and the dots."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(46), px(8), self.width() - px(56), self.height() - px(30))
        painter.fillRect(chart, c.colour("card"))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        bounds = [*self._over_db, -MIN_SPAN_DB, MIN_SPAN_DB]
        low, high = min(bounds) - 1, max(bounds) + 1

        def y_at(db: float) -> float:
            return chart.bottom() - (min(max(db, low), high) - low) / (high - low) * chart.height()

        if self._found is not None:
            top, bottom = y_at(self._found.high_db), y_at(self._found.low_db)
            painter.fillRect(QRectF(chart.left(), top, chart.width(), bottom - top), c.colour("spruce", 0.18))
            painter.setPen(QPen(c.colour("spruce"), px(2)))
            middle = y_at(self._found.db)
            painter.drawLine(QPointF(chart.left(), middle), QPointF(chart.right(), middle))
        scale_up(painter, c, chart, (low, high), lines=True)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("slate"))
        for index, over_db in enumerate(self._over_db):
            x = chart.left() + (index + 0.5) / max(self._pair_count, len(self._over_db)) * chart.width()
            painter.drawEllipse(QPointF(x, y_at(over_db)), px(3), px(3))
        painter.setPen(c.colour("quiet"))
        painter.setFont(font(11))
        below = QRectF(chart.left(), chart.bottom() + px(4), chart.width(), px(16))
        painter.drawText(
            below, int(Qt.AlignmentFlag.AlignHCenter), "pairs, in the order measured; dB of signal over noise"
        )


def _over_db(pair: Pair) -> float:
    """Signal over noise of one pair; in a deep fade the signal is taken as one hundredth of its noise."""
    first = max(pair.first_signal / pair.first_noise, 0.01)
    second = max(pair.second_signal / pair.second_noise, 0.01)
    return 10 * log10(second / first)
