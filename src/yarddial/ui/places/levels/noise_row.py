"""The noise watch: its result, its readings as a pen line, and the button that starts or stops it."""

from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from yarddial.session.levels.noise_watch import NoiseReading, NoiseWatch
from yarddial.ui.theme.lettering import px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.soon import Soon
from yarddial.ui.widgets.words import Words, button

# Minimum range of the scale, dB, so that a quiet evening does not look rough.
MIN_SPAN_DB = 6.0


class NoiseLine(QWidget):
    """Readings from left to right, minute by minute; a missing reading is a gap."""

    def __init__(self) -> None:
        super().__init__()
        self._readings: tuple[NoiseReading, ...] = ()
        self.setFixedHeight(px(26))
        self.setMinimumWidth(px(120))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Noise floor, minute by minute")

    def show_readings(self, readings: tuple[NoiseReading, ...]) -> None:
        """Show the readings."""
        self._readings = readings
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw a hairline and the readings above it; nothing before the first reading."""
        heights = [reading.floor for reading in self._readings if reading.floor is not None]
        if not heights:
            return
        painter = QPainter(self)
        colours = palette()
        bottom = self.height() - 1
        painter.setPen(QPen(colours.colour("hairline"), 1))
        painter.drawLine(0, bottom, self.width(), bottom)
        low, span_s = min(heights), max(self._readings[-1].at_s, 1.0)
        span_db = max(max(heights) - low, MIN_SPAN_DB)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colours.colour("spruce"), px(2), cap=Qt.PenCapStyle.RoundCap))
        before: QPointF | None = None
        for reading in self._readings:
            if reading.floor is None:
                before = None
                continue
            share = (reading.floor - low) / span_db
            here = QPointF(2 + (self.width() - 4) * reading.at_s / span_s, bottom - 3 - share * (bottom - 6))
            if before is None:
                # The first reading after a gap may stay alone.
                painter.drawPoint(here)
            else:
                painter.drawLine(QLineF(before, here))
            before = here


class NoiseRow(QWidget):
    """Starts and stops the watch, which continues when the place is left."""

    def __init__(self, watch: NoiseWatch) -> None:
        super().__init__()
        self._watch = watch
        self.words, self.line = Words("", 12, tone="quiet", wrap=True), NoiseLine()
        self.act = button("", tip="Read the noise floor each minute, beside whatever else is done")
        self.act.clicked.connect(self._press)
        row = QVBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(px(6))
        row.addWidget(self.words)
        row.addWidget(self.line)
        row.addWidget(self.act, 0, Qt.AlignmentFlag.AlignLeft)
        show_soon = Soon(self, self._show)
        watch.on_noise_changed(show_soon)
        self._show()

    def _press(self) -> None:
        self._watch.stop() if self._watch.running else self._watch.start()

    def _show(self) -> None:
        self.act.setText("End the noise watch" if self._watch.running else "Watch the noise")
        self.words.setText(self._watch.sentence())
        self.line.show_readings(self._watch.readings)
