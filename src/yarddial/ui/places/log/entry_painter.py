"""Painter of a log entry."""

from PyQt6.QtCore import QModelIndex, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from yarddial.records.entry import Entry
from yarddial.records.log_data import LoggedObservation
from yarddial.ui.theme.fitting import whole_clauses
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.mark import draw_mark

ENTRY_ROLE = int(Qt.ItemDataRole.UserRole) + 1
_MARKS = {"observation": "unknown", "verification": "good", "correction": "good", "undo": "look", "note": ""}


class EntryPainter(QStyledItemDelegate):
    """Time, kind, text and route; a day's first entry shows the date."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Two lines, three for the first of a day."""
        _, first_of_day = index.data(ENTRY_ROLE)
        return QSize(px(300), px(72 if first_of_day else 46))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw an entry."""
        if painter is None:
            return
        entry, first_of_day = index.data(ENTRY_ROLE)
        box, c = QRectF(option.rect), palette()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if first_of_day:
            painter.setFont(font(14, "serif"))
            painter.setPen(c.colour("ink"))
            painter.drawText(QPointF(box.left(), box.top() + px(19)), entry.at_utc[:10])
            box.setTop(box.top() + px(26))
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, c.colour("card"))
            painter.fillRect(QRectF(box.left(), box.top(), px(3), box.height()), c.colour("vermilion"))
        self._draw_entry(painter, box, entry)
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.restore()

    def _draw_entry(self, painter: QPainter, box: QRectF, entry: Entry) -> None:
        c = palette()
        if _MARKS.get(entry.kind):
            draw_mark(painter, QPointF(box.left() + px(18), box.top() + px(15)), px(9), _MARKS[entry.kind])
        painter.setFont(font(12, "mono"))
        painter.setPen(c.colour("quiet"))
        painter.drawText(QPointF(box.left() + px(36), box.top() + px(19)), entry.at_utc[11:16] + " UTC")
        text = QRectF(box.left() + px(130), box.top() + px(5), box.width() - px(140), px(20))
        painter.setFont(font(13, "sans", 500 if entry.kind == "correction" else 400))
        painter.setPen(c.colour("ink"))
        painter.drawText(text, int(Qt.AlignmentFlag.AlignVCenter), _elided(painter, entry.text, text.width()))
        parts = [entry.kind, entry.route, entry.method]
        data = entry.data
        if isinstance(data, LoggedObservation) and data.cn0_dbhz is not None and data.duration_s is not None:
            parts.append(f"C/N0 {data.cn0_dbhz:.0f} dB-Hz over {data.duration_s:.1f} s")
        if entry.id == 0:
            parts.append("not yet written")
        below = QRectF(text.left(), text.bottom() - px(1), text.width(), px(18))
        painter.setFont(font(11))
        painter.setPen(c.colour("ochre" if entry.id == 0 else "quiet"))
        line = ", ".join(part for part in parts if part)
        painter.drawText(below, int(Qt.AlignmentFlag.AlignVCenter), _elided(painter, line, below.width()))


def _elided(painter: QPainter, text: str, width: float) -> str:
    """Shorten by whole clauses; cut only a single one that is too long."""
    metrics = QFontMetricsF(painter.font())
    return whole_clauses(text, metrics, width) or metrics.elidedText(text, Qt.TextElideMode.ElideRight, width)
