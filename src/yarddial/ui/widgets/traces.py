"""Lines of thousands of points, filled by numpy without a Python object per point."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6 import sip
from PyQt6.QtCore import QLineF
from PyQt6.QtGui import QPainter

# PyQt's stub knows it only as a class without arguments.
_array: Any = sip.array


class PlotTrace:
    """A line through points; its buffer is reused from one painting to the next."""

    def __init__(self) -> None:
        self._lines: Any = None
        self._ends: NDArray[np.float64] = np.empty((0, 4))

    def draw(self, painter: QPainter, x: NDArray[Any], y: NDArray[Any]) -> None:
        """Draw it with the painter's pen. A wide pen on noise is slow."""
        count = x.size - 1
        if count < 1:
            return
        if self._ends.shape[0] != count:
            # PyQt's array of lines, seen by numpy as rows of x1, y1, x2, y2.
            self._lines = _array(QLineF, count)
            self._ends = np.frombuffer(self._lines, np.float64).reshape(count, 4)
        self._ends[:, 0], self._ends[:, 1] = x[:-1], y[:-1]
        self._ends[:, 2], self._ends[:, 3] = x[1:], y[1:]
        painter.drawLines(self._lines)
