"""Emptying of a layout, to fill it again."""

from PyQt6.QtWidgets import QLayout


def empty(layout: QLayout) -> None:
    """Remove everything. It is hidden at once, since the deletion waits for the event loop."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            empty(inner)
