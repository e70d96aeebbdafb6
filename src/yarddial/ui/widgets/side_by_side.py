"""Layout of a place: headline above, picture at the left, its column at the right."""

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QBoxLayout, QLayout, QScrollArea, QVBoxLayout, QWidget

from yarddial.ui.theme.lettering import px

# Design pixels: minimum width of a picture beside its column, and minimum height above it.
MIN_PICTURE_WIDTH, MIN_PICTURE_HEIGHT = 400, 310
# Qt's value for an unlimited size.
UNLIMITED_WIDTH = 16_777_215


class Pressed(QWidget):
    """A page that reports its minimum height instead of its preferred one."""

    def heightForWidth(self, width: int) -> int:
        """Called by the scroll area."""
        layout = self.layout()
        return layout.minimumHeightForWidth(width) if layout is not None else -1


class SideBySide(QScrollArea):
    """Picture and column side by side; the column below the picture, scrolled, where there is no room."""

    def __init__(self, left: QLayout, right: QWidget) -> None:
        super().__init__()
        self._right = right
        self._column = right if isinstance(right, QScrollArea) else right.findChild(QScrollArea) or QScrollArea()
        self._right_wide = self._column.minimumWidth()
        self._stacked: bool | None = None
        self._inside = Pressed()
        # Not a grid, which takes the preferred height of wrapping items as their minimum.
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
        """True while the column is below the picture."""
        return bool(self._stacked)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Follow changes of the available room and of the column."""
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
        """Set heights: the whole column, and the minimum picture above it."""
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
    """Lay a place out; the headline stays visible."""
    layout = QVBoxLayout(place)
    layout.setContentsMargins(px(26), px(16), px(24), px(10))
    layout.setSpacing(px(8))
    layout.addWidget(headline)
    layout.addWidget(SideBySide(left, right), 1)
