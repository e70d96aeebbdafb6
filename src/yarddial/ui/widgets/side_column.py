"""The column beside a picture: fixed width, scrolled in a low window."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px


class _Inside(QWidget):
    """Keeps the height that wrapping items need, because a scrolled widget is compressed otherwise."""

    def event(self, event: QEvent | None) -> bool:
        """Update after a change of content or width."""
        done = super().event(event)
        if event is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            layout = self.layout()
            if layout is not None and layout.hasHeightForWidth():
                high = layout.totalHeightForWidth(self.width())
                if high != self.minimumHeight():
                    self.setMinimumHeight(high)
        return done


def side_column(width: float, spacing: float = 6) -> tuple[QScrollArea, QVBoxLayout]:
    """The column, and its layout, filled from above; the caller adds a stretch at its end."""
    inside = _Inside()
    layout = QVBoxLayout(inside)
    layout.setContentsMargins(0, 0, px(8), 0)
    layout.setSpacing(px(spacing))
    scroll = QScrollArea()
    scroll.setFixedWidth(px(width))
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setWidget(inside)
    return scroll, layout
