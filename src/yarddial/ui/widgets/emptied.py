"""A layout made empty, so that it can be filled anew."""

from PyQt6.QtWidgets import QLayout


def empty(layout: QLayout) -> None:
    """Take everything out. It is out of sight at once: the deletion itself waits for the event loop."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()
        elif (inner := item.layout()) is not None:
            empty(inner)
