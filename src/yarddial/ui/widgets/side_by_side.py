"""The page of a place: the verdict over all of it, the picture at the left, what belongs to it at the right."""

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QBoxLayout, QLayout, QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px

# Design pixels: the narrowest picture beside its column, and the lowest picture above it.
MIN_PICTURE_WIDTH, MIN_PICTURE_HEIGHT = 400, 310
# What Qt takes for "as large as you like".
UNLIMITED_WIDTH = 16_777_215


class Pressed(QWidget):
    """A page that asks for the least height its layout can live with, not the one it would like."""

    def heightForWidth(self, width: int) -> int:
        """Asked by the area that scrolls it."""
        layout = self.layout()
        return layout.minimumHeightForWidth(width) if layout is not None else -1


class SideBySide(QScrollArea):
    """Picture and column beside each other; the column below the picture where both have no room, and then scrolled."""

    def __init__(self, left: QLayout, right: QWidget) -> None:
        super().__init__()
        self._right = right
        self._column = right if isinstance(right, QScrollArea) else right.findChild(QScrollArea) or QScrollArea()
        self._right_wide = self._column.minimumWidth()
        self._stacked: bool | None = None
        self._inside = Pressed()
        # No grid: of what goes on in a second line, a grid takes the height it would like for the least.
        self._row = QBoxLayout(QBoxLayout.Direction.LeftToRight, self._inside)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(px(22))
        self._row.addLayout(left, 1)
        self._row.addWidget(right)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidget(self._inside)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        port, column = self.viewport(), self._column.widget()
        if port is not None and column is not None:
            port.installEventFilter(self)
            column.installEventFilter(self)
        self._arrange(stacked=False)

    @property
    def is_stacked(self) -> bool:
        """True while the column stands below the picture."""
        return bool(self._stacked)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Follow the room there is, and what the column has grown to."""
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            port = self.viewport()
            if port is not None and watched is port:
                self._arrange(stacked=port.width() < px(MIN_PICTURE_WIDTH) + self._right_wide + px(22))
            if self._stacked and self._column_height() != self._right.height():
                self._stretch()
        return super().eventFilter(watched, event)

    def _column_height(self) -> int:
        column = self._column.widget()
        if column is None:
            return 0
        layout = column.layout()
        if layout is not None and layout.hasHeightForWidth():
            return max(layout.heightForWidth(self._right.width()), px(40))
        return max(column.sizeHint().height(), px(40))

    def _stretch(self) -> None:
        """All of the column, and above it the lowest picture."""
        high = self._column_height()
        self._right.setFixedHeight(high)
        self._inside.setMinimumHeight(px(MIN_PICTURE_HEIGHT) + self._row.spacing() + high)

    def _arrange(self, *, stacked: bool) -> None:
        if stacked is self._stacked:
            return
        self._stacked = stacked
        policy = Qt.ScrollBarPolicy.ScrollBarAlwaysOff if stacked else Qt.ScrollBarPolicy.ScrollBarAsNeeded
        self._column.setVerticalScrollBarPolicy(policy)
        self._row.setDirection(QBoxLayout.Direction.TopToBottom if stacked else QBoxLayout.Direction.LeftToRight)
        if stacked:
            self._column.setMinimumWidth(0)
            self._column.setMaximumWidth(UNLIMITED_WIDTH)
            self._stretch()
        else:
            self._column.setFixedWidth(self._right_wide)
            self._right.setMinimumHeight(0)
            self._right.setMaximumHeight(UNLIMITED_WIDTH)
            self._inside.setMinimumHeight(0)


def side_by_side(place: QWidget, headline: QWidget, left: QLayout, right: QWidget) -> None:
    """Lay a place out; the headline stays in sight."""
    layout = QVBoxLayout(place)
    layout.setContentsMargins(px(26), px(16), px(24), px(10))
    layout.setSpacing(px(8))
    layout.addWidget(headline)
    layout.addWidget(SideBySide(left, right), 1)
