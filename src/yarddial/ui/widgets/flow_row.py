"""A row that wraps into further lines, so that nothing is cut."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QLayoutItem, QWidget

from yarddial.ui.theme.lettering import px


class FlowRow(QLayout):
    """Widgets from left to right at their preferred width; `spacing` in design pixels."""

    def __init__(self, *widgets: QWidget, spacing: float = 10) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(px(spacing))
        for widget in widgets:
            self.addWidget(widget)

    def addItem(self, item: QLayoutItem | None) -> None:
        """Add a layout item."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """Number of items."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """Item by index; None beyond the last."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Remove and return a layout item."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It does not expand."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """True: a narrower row is higher."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Height of all lines at a width."""
        return self._lay(QRect(0, 0, width, 0), move=False)

    def setGeometry(self, rect: QRect) -> None:
        """Place the items within a rectangle."""
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def sizeHint(self) -> QSize:
        """Size in a single line."""
        shown = [item.sizeHint() for item in self._items if not item.isEmpty()]
        wide = sum(size.width() for size in shown) + self.spacing() * max(len(shown) - 1, 0)
        return QSize(wide, max((size.height() for size in shown), default=0))

    def minimumSize(self) -> QSize:
        """Size of the widest item alone."""
        shown = [item.sizeHint() for item in self._items if not item.isEmpty()]
        return QSize(
            max((size.width() for size in shown), default=0), max((size.height() for size in shown), default=0)
        )

    def _lay(self, rect: QRect, *, move: bool) -> int:
        x, y, high = rect.x(), rect.y(), 0
        line: list[tuple[QLayoutItem, int]] = []
        for item in self._items:
            size = item.sizeHint()
            if item.isEmpty():
                continue
            if line and x + size.width() > rect.right() + 1:
                _place(line, y, high, move)
                x, y, high, line = rect.x(), y + high + self.spacing(), 0, []
            line.append((item, x))
            x, high = x + size.width() + self.spacing(), max(high, size.height())
        _place(line, y, high, move)
        return y + high - rect.y()


def _place(line: list[tuple[QLayoutItem, int]], y: int, high: int, move: bool) -> None:
    for item, x in line if move else ():
        size = item.sizeHint()
        item.setGeometry(QRect(QPoint(x, y + (high - size.height()) // 2), size))


def together(*widgets: QWidget, spacing: float = 6) -> QWidget:
    """Widgets that stay in one line, such as a word and its field."""
    group = QWidget()
    row = QHBoxLayout(group)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(px(spacing))
    for widget in widgets:
        row.addWidget(widget)
    return group
