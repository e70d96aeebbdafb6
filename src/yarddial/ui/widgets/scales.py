"""Scales of a chart: numbers beside and below it, at readable steps."""

from collections.abc import Callable
from itertools import pairwise
from math import ceil, floor

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import Palette
from yarddial.ui.widgets.axis import nice_step, tick_text

# Room of a number, logical pixels.
UP_PX, ALONG_PX = 36, 84


def column_tops(values: NDArray[np.floating], columns: int) -> tuple[NDArray[np.int_], NDArray[np.floating]]:
    """Maximum of each of some columns of a row of values, and the index at which it stands.

    Columns differ by one value in size where they do not divide the row, so a column's place is that of its maximum,
    never its number.
    """
    edges = np.arange(columns + 1) * values.size // columns
    at = np.array([low + int(np.argmax(values[low:high])) for low, high in pairwise(edges.tolist()) if high > low])
    return at, values[at]


def ticks(ends: tuple[float, float], limit: int) -> list[tuple[float, str]]:
    """Values within the ends, each with its text."""
    step = nice_step(ends[1] - ends[0], max(limit, 2))
    numbers = range(ceil(ends[0] / step - 1e-9), floor(ends[1] / step + 1e-9) + 1)
    return [(number * step, tick_text(number * step, step)) for number in numbers]


def scale_up(
    painter: QPainter, c: Palette, chart: QRectF, ends: tuple[float, float], unit: str = "", *, lines: bool = False
) -> None:
    """Draw numbers at the left with the unit above; with `lines` a hairline at each, stronger at zero."""
    painter.setFont(font(11, "mono"))
    painter.setPen(c.colour("quiet"))
    right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    if unit:
        painter.drawText(QRectF(0, chart.top() - px(16), chart.left() - px(8), px(16)), right, unit)
    for value, text in ticks(ends, int(chart.height() / px(UP_PX))):
        y = chart.bottom() - (value - ends[0]) / (ends[1] - ends[0]) * chart.height()
        if lines:
            painter.setPen(QPen(c.colour("quiet" if value == 0 else "hairline"), 1))
            painter.drawLine(QPointF(chart.left(), y), QPointF(chart.right(), y))
            painter.setPen(c.colour("quiet"))
        painter.drawText(QRectF(0, y - px(9), chart.left() - px(8), px(18)), right, text)


def scale_along(
    painter: QPainter, c: Palette, chart: QRectF, ends: tuple[float, float], format_value: Callable[[str], str] = str
) -> None:
    """Draw numbers below, none cut off at the right."""
    device = painter.device()
    edge = float(device.width()) if device is not None else chart.right()
    painter.setFont(font(11, "mono"))
    painter.setPen(c.colour("quiet"))
    for value, text in ticks(ends, int(chart.width() / px(ALONG_PX))):
        x = chart.left() + (value - ends[0]) / (ends[1] - ends[0]) * chart.width()
        half = painter.fontMetrics().horizontalAdvance(format_value(text)) / 2 + 1
        box = QRectF(min(x, edge - half) - px(40), chart.bottom() + px(4), px(80), px(16))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignHCenter), format_value(text))
