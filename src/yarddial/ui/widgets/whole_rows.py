"""A scrolling list whose last row is never cut."""

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QScrollArea

from yarddial.ui.theme.lettering import px


class WholeRows(QScrollArea):
    """Shows whole rows of one height only, and scrolls by rows.

    row_px : height of a row at the usual lettering.
    """

    def __init__(self, row_px: int) -> None:
        super().__init__()
        self._row_px = row_px
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.valueChanged.connect(self._snap)

    @property
    def row_height(self) -> int:
        """Height of a row, pixels."""
        return px(self._row_px)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave what is less than a row free below."""
        super().resizeEvent(event)
        spare = self.height() % self.row_height
        if self.viewportMargins().bottom() != spare:
            self.setViewportMargins(0, 0, 0, spare)
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.setSingleStep(self.row_height)

    def _snap(self, value: int) -> None:
        """Begin with a whole row."""
        bar = self.verticalScrollBar()
        if bar is not None and value % self.row_height and value != bar.maximum():
            bar.setValue(round(value / self.row_height) * self.row_height)
