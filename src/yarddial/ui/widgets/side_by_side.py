"""The page of a place: the verdict over all of it, the picture at the left, what belongs to it at the right."""

from PyQt6.QtWidgets import QGridLayout, QLayout, QWidget

from yarddial.ui.theme.lettering import px


def side_by_side(place: QWidget, headline: QWidget, left: QLayout, right: QWidget) -> None:
    """Lay a place out."""
    grid = QGridLayout(place)
    grid.setContentsMargins(px(26), px(16), px(24), px(10))
    grid.setHorizontalSpacing(px(22))
    grid.setVerticalSpacing(px(8))
    grid.addWidget(headline, 0, 0, 1, 2)
    grid.addLayout(left, 1, 0)
    grid.addWidget(right, 1, 1)
    grid.setColumnStretch(0, 1)
    grid.setRowStretch(1, 1)
