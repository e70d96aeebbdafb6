"""Plain-text tool tips: a name from a file is shown literally."""

from html import escape

from PyQt6.QtWidgets import QWidget

# The original text, where it had to be escaped.
_TIP_PROPERTY = "plain tool tip"


def set_tip(widget: QWidget, text: str) -> None:
    """Set a tool tip; text that could be taken for HTML is escaped."""
    widget.setProperty(_TIP_PROPERTY, text)
    widget.setToolTip(f"<qt>{escape(text)}</qt>" if "<" in text else text)


def tip_of(widget: QWidget) -> str:
    """Original text of a tool tip."""
    return str(widget.property(_TIP_PROPERTY) or "")
