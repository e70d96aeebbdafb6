"""The column beside a picture: as wide as it is told, scrolled where the window is low."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px


def side_column(width: float, spacing: float = 6) -> tuple[QScrollArea, QVBoxLayout]:
    """The column, and the layout that is filled from above; a stretch at its end is the caller's."""
    inside = QWidget()
    layout = QVBoxLayout(inside)
    layout.setContentsMargins(0, 0, px(8), 0)
    layout.setSpacing(px(spacing))
    scroll = QScrollArea()
    scroll.setFixedWidth(px(width))
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setWidget(inside)
    return scroll, layout
