"""Texts for the room there is: smaller letters, fewer digits, fewer clauses; never a word cut in half."""

import re

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter

from yarddial.ui.theme.lettering import Face, font

# Where a sentence can be left off without harm: behind these.
_JOINTS = re.compile(r"(?<=[;,·.]) | (?=·)")


def fitting_font(text: str, room: float, size: float, face: Face = "sans", weight: int = 400) -> QFont:
    """The lettering of this size, or of the largest of two thirds of it that the room takes."""
    for share in (1.0, 0.92, 0.84, 0.75, 0.67):
        smaller = font(size * share, face, weight)
        if QFontMetricsF(smaller).horizontalAdvance(text) <= room:
            break
    return smaller


def whole_clauses(text: str, metrics: QFontMetricsF, room: float) -> str:
    """As many clauses of a text as there is room for, none of them cut; "" where not even one fits."""
    while text and metrics.horizontalAdvance(text) > room:
        joints = list(_JOINTS.finditer(text))
        text = text[: joints[-1].start()].rstrip(" ;,·:") if joints else ""
    return text


def first_that_fits(texts: list[str], metrics: QFontMetricsF, room: float) -> str:
    """The first of several ways to write a number, best first, that the room takes; the last one anyway."""
    return next((text for text in texts if metrics.horizontalAdvance(text) <= room), texts[-1])


def draw_wrapped(painter: QPainter, box: QRectF, text: str) -> None:
    """A label in as many lines as it needs, centred, from the top of its box."""
    painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap), text)
