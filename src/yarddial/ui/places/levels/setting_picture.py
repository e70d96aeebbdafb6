"""All settings of a sweep: signal over noise and products over gain; the advised one and two habits are named."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.levels.best_setting import BestGains, judged_db
from yarddial.analysis.levels.measured_setting import GainPoint
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import scale_along, scale_up
from yarddial.yard.level import GainsDb

# Below this level nothing is heard, and settings cannot be distinguished.
MIN_DB = -10.0


class SettingPicture(QWidget):
    """Total gain to the right, signal over noise and products up."""

    def __init__(self) -> None:
        super().__init__()
        self._steps: tuple[GainPoint, ...] = ()
        self._heard_db: list[float] = []
        self._setting: BestGains | None = None
        self._now: GainsDb = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Signal over noise and products, for every setting of the gains")

    def sizeHint(self) -> QSize:
        """As on the first window."""
        return QSize(px(620), px(260))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(150))

    def show_settings(self, steps: tuple[GainPoint, ...], setting: BestGains | None, now: GainsDb) -> None:
        """Show measured settings, the advice, and the present setting."""
        if steps != self._steps:
            self._heard_db = judged_db(steps) if steps else []
        self._steps, self._setting, self._now = steps, setting, now
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """A dot for each setting."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(58), px(18), self.width() - px(76), self.height() - px(62))
        painter.fillRect(chart, c.colour("card"))
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        if not self._steps:
            return
        gains = [step.gain_db for step in self._steps]
        left, right = min(gains) - 2, max(gains) + 2
        top = max(*self._heard_db, 10.0) + 4

        def at(gain_db: float, heard_db: float) -> QPointF:
            share = (max(heard_db, MIN_DB) - MIN_DB) / (top - MIN_DB)
            return QPointF(
                chart.left() + (gain_db - left) / (right - left) * chart.width(),
                chart.bottom() - share * chart.height(),
            )

        self._draw_axes(painter, c, chart, (left, right), top)
        for step, heard_db in zip(self._steps, self._heard_db, strict=True):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(c.colour("vermilion" if step.is_clipped else "slate", 0.8))
            painter.drawEllipse(at(step.gain_db, heard_db), px(3), px(3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self._draw_marks(painter, c, chart, at)

    def _draw_axes(self, painter: QPainter, c: Palette, chart: QRectF, ends: tuple[float, float], top: float) -> None:
        scale_up(painter, c, chart, (MIN_DB, top), "dB")
        scale_along(painter, c, chart, ends)
        middle = int(Qt.AlignmentFlag.AlignHCenter)
        right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        below = QRectF(chart.left(), chart.bottom() + px(22), chart.width(), px(16))
        painter.drawText(below, middle, "gain of all stages, dB")
        painter.setFont(font(11))
        box = QRectF(chart.left(), 0, chart.width(), chart.top())
        painter.drawText(box, right, "signal over noise and products; red where samples are clipped")

    def _draw_marks(self, painter: QPainter, c: Palette, chart: QRectF, at: object) -> None:
        """Draw named rings around the advised and the present setting."""
        assert callable(at)
        marks = [(self._now, "set now", "vermilion")]
        if self._setting is not None and dict(self._setting.gains_db) != dict(self._now):
            marks.append((self._setting.gains_db, "advised", "spruce"))
        painter.setFont(font(11, "sans", 500))
        for gains_db, name, role in marks:
            index = next((i for i, step in enumerate(self._steps) if dict(step.gains_db) == dict(gains_db)), None)
            if index is None:
                continue
            place: QPointF = at(self._steps[index].gain_db, self._heard_db[index])
            painter.setPen(QPen(c.colour(role), px(2)))
            painter.drawEllipse(place, px(7), px(7))
            wide = painter.fontMetrics().horizontalAdvance(name)
            left = place.x() + px(11) if place.x() + wide + px(14) < chart.right() else place.x() - wide - px(11)
            above = -px(8) if role == "spruce" else px(16)
            painter.fillRect(
                QRectF(left - px(2), place.y() + above - px(11), wide + px(4), px(14)), c.colour("card", 0.85)
            )
            painter.drawText(QPointF(left, place.y() + above), name)
