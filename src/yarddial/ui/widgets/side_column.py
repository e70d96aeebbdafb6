"""The column beside a picture: as wide as it is told, scrolled where the window is low."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px


class _Inside(QWidget):
    """At least as high as what wraps in it needs at its width; by itself a scrolled widget is pressed together."""

    def event(self, event: QEvent | None) -> bool:
        """When something in it, or its width, has changed."""
        done = super().event(event)
        if event is not None and event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Resize):
            layout = self.layout()
            if layout is not None and layout.hasHeightForWidth():
                high = layout.totalHeightForWidth(self.width())
                if high != self.minimumHeight():
                    self.setMinimumHeight(high)
        return done


def side_column(width: float, spacing: float = 6) -> tuple[QScrollArea, QVBoxLayout]:
    """The column, and the layout that is filled from above; a stretch at its end is the caller's."""
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
