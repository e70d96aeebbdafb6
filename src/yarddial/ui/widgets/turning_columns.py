"""Columns side by side, or below each other on a narrow page."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QScrollArea, QVBoxLayout

from yarddial.ui.theme.lettering import px
from yarddial.ui.widgets.side_by_side import Pressed


class TurningColumns(QScrollArea):
    """Columns are added to `row`, scrolled content above them to `page`.

    Narrower than `turns_at` design pixels they are below each other.

    stacked_height : minimum height of all of them then, design pixels; 0 where they know it themselves.
    """

    def __init__(self, turns_at: float, spacing: float, stacked_height: float = 0) -> None:
        super().__init__()
        self._turns_at, self._stacked_height = turns_at, stacked_height
        self.inside = Pressed()
        self.page = QVBoxLayout(self.inside)
        self.page.setContentsMargins(0, 0, 0, 0)
        self.row = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.page.addLayout(self.row, 1)
        self.row.setSpacing(px(spacing))
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(self.inside)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Change the arrangement where necessary."""
        stacked = self.width() < px(self._turns_at)
        direction = QBoxLayout.Direction.TopToBottom if stacked else QBoxLayout.Direction.LeftToRight
        if direction != self.row.direction():
            self.row.setDirection(direction)
            self.inside.setMinimumHeight(px(self._stacked_height) if stacked else 0)
        super().resizeEvent(event)
