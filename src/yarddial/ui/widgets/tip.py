"""Tool tips in plain text: a name from a file is shown as it is written, whatever it looks like."""

from html import escape

from PyQt6.QtWidgets import QWidget

# What was given, where it had to be written otherwise.
_TIP_PROPERTY = "plain tool tip"


def set_tip(widget: QWidget, text: str) -> None:
    """Show a text over a widget; what could be taken for HTML is written so that it cannot."""
    widget.setProperty(_TIP_PROPERTY, text)
    widget.setToolTip(f"<qt>{escape(text)}</qt>" if "<" in text else text)


def tip_of(widget: QWidget) -> str:
    """The text as it was given."""
    return str(widget.property(_TIP_PROPERTY) or "")
