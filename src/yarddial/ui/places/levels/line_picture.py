"""Levels along the route, part by part to the right, dBm up: noise, signals, and tolerated levels."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from yarddial.analysis.levels.level_line import LevelAtPart, LevelLine
from yarddial.ui.theme.fitting import fitting_font
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette, palette
from yarddial.ui.widgets.scales import scale_up
from yarddial.yard.frequency import MINUS

# Margin of the scale beyond the values drawn.
MARGIN_DB = 8.0


class LinePicture(QWidget):
    """The level diagram; told in words by its accessible description."""

    def __init__(self) -> None:
        super().__init__()
        self._line: LevelLine | None = None
        self._names: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Levels along the line")

    def sizeHint(self) -> QSize:
        """As on the first window."""
        return QSize(px(620), px(210))

    def minimumSizeHint(self) -> QSize:
        """The least that can be read."""
        return QSize(px(300), px(130))

    def show_line(self, antenna: str, line: LevelLine | None) -> None:
        """Show a route's levels, or nothing."""
        self._line = line
        self._names = () if line is None else (antenna, *(plate.name for plate in line.plates))
        if line is not None:
            last = line.plates[-1]
            self.setAccessibleDescription(
                f"noise {last.floor_dbm:.0f} dBm, strongest {_said(last.strongest_dbm)}, limit {_said(last.limit_dbm)}"
            )
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw scale, plates, lines, and their names at the right."""
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart = QRectF(px(58), px(16), self.width() - px(58 + 136), self.height() - px(42))
        painter.fillRect(chart, c.colour("card"))
        if self._line is None:
            return
        plates = self._line.plates
        series = {
            "noise": ("slate", [self._at_antenna("noise"), *(p.floor_dbm for p in plates)]),
            "wanted": ("spruce", [self._at_antenna("wanted"), *(p.wanted_dbm for p in plates)]),
            "strongest": ("ink", [self._at_antenna("strongest"), *(p.strongest_dbm for p in plates)]),
        }
        limits = [None, *(plate.limit_dbm for plate in plates)]
        known = [v for _, values in series.values() for v in values if v is not None]
        known += [v for v in limits if v is not None]
        low, high = min(known) - MARGIN_DB, max(known) + MARGIN_DB
        count = len(plates) + 1

        def at(index: int, dbm: float) -> QPointF:
            return QPointF(
                chart.left() + (index + 0.5) / count * chart.width(),
                chart.bottom() - (dbm - low) / (high - low) * chart.height(),
            )

        self._draw_scale(painter, c, chart, low, high)
        self._draw_names(painter, c, chart, count)
        labels: list[tuple[float, str, str]] = []
        for name, (role, values) in series.items():
            points = [at(index, value) for index, value in enumerate(values) if value is not None]
            if len(points) < 2:
                continue
            painter.setPen(QPen(c.colour(role), 1.5))
            painter.drawPolyline(QPolygonF(points))
            painter.setBrush(c.colour(role))
            for point in points:
                painter.drawEllipse(point, px(2.5), px(2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            labels.append((points[-1].y(), f"{name} {_said(values[-1])}", role))
        half = min(chart.width() / count * 0.3, px(28))
        for index, dbm in enumerate(limits):
            if dbm is not None:
                middle = at(index, dbm)
                painter.setPen(QPen(c.colour("vermilion"), px(2)))
                painter.drawLine(QPointF(middle.x() - half, middle.y()), QPointF(middle.x() + half, middle.y()))
        if limits[-1] is not None:
            labels.append((at(count - 1, limits[-1]).y(), f"limit {_said(limits[-1])}", "vermilion"))
        self._draw_labels(painter, c, chart, labels)

    def _at_antenna(self, what: str) -> float | None:
        """Level before the first part, without its gain."""
        assert self._line is not None
        first: LevelAtPart = self._line.plates[0]
        value = {"noise": first.outside_dbm, "wanted": first.wanted_dbm, "strongest": first.strongest_dbm}[what]
        return None if value is None else value - first.gain_db

    def _draw_scale(self, painter: QPainter, c: Palette, chart: QRectF, low: float, high: float) -> None:
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawRect(chart)
        scale_up(painter, c, chart, (low, high), "dBm", lines=True)

    def _draw_names(self, painter: QPainter, c: Palette, chart: QRectF, count: int) -> None:
        painter.setPen(c.colour("quiet"))
        wide = chart.width() / count
        for index, name in enumerate(self._names):
            box = QRectF(chart.left() + index * wide, chart.bottom() + px(4), wide, px(18))
            painter.setFont(fitting_font(name, wide - px(4), 11))
            text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(wide - px(2)))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter), text)

    def _draw_labels(self, painter: QPainter, c: Palette, chart: QRectF, labels: list[tuple[float, str, str]]) -> None:
        """Write labels at the right, near their lines' ends without overlaps."""
        painter.setFont(font(11, "sans", 500))
        lowest = -1e9
        for wanted, text, role in sorted(labels):
            lowest = y = max(wanted, lowest + px(15))
            painter.setPen(c.colour(role))
            painter.drawText(QPointF(chart.right() + px(8), y + px(4)), text)


def _said(dbm: float | None) -> str:
    return "unknown" if dbm is None else f"{dbm:.0f} dBm".replace("-", MINUS)
