"""Fitting of texts to the available room: smaller letters, fewer digits, fewer clauses; never a cut word."""

import re

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter

from yarddial.ui.theme.lettering import Face, font

# A sentence can be shortened after these characters.
_JOINTS = re.compile(r"(?<=[;,·.]) | (?=·)")


def fitting_font(text: str, room: float, size: float, face: Face = "sans", weight: int = 400) -> QFont:
    """Font of this size, or of the largest size down to two thirds that fits."""
    for share in (1.0, 0.92, 0.84, 0.75, 0.67):
        smaller = font(size * share, face, weight)
        if QFontMetricsF(smaller).horizontalAdvance(text) <= room:
            break
    return smaller


def whole_clauses(text: str, metrics: QFontMetricsF, room: float) -> str:
    """As many whole clauses as fit; empty where not even one does."""
    while text and metrics.horizontalAdvance(text) > room:
        joints = list(_JOINTS.finditer(text))
        text = text[: joints[-1].start()].rstrip(" ;,·:") if joints else ""
    return text


def first_that_fits(texts: list[str], metrics: QFontMetricsF, room: float) -> str:
    """The first of several texts that fits; the last one otherwise."""
    return next((text for text in texts if metrics.horizontalAdvance(text) <= room), texts[-1])


def draw_wrapped(painter: QPainter, box: QRectF, text: str) -> None:
    """Draw a label in as many lines as needed, centred, from the top of its box."""
    painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap), text)
