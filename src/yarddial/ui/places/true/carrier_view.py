"""The last carrier: its signal model, and the residual of a steady line."""

from math import degrees
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from yarddial.session.calibration.carrier_model import model_evidence, model_mark, model_sentence
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.mark import MarkSign
from yarddial.ui.widgets.tip import set_tip
from yarddial.ui.widgets.words import Words

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.dsp.carrier import Carrier

# Scales of the phase, degrees: the finest that contains it.
SCALES_DEG = (1.0, 3.0, 10.0, 30.0, 90.0, 180.0)


class CarrierView(QWidget):
    """Hidden until a carrier was measured."""

    def __init__(self) -> None:
        super().__init__()
        self._carrier: Carrier | None = None
        self._mark, self._named = MarkSign("unknown", 10), Words("", 13, weight=600)
        self._evidence = Words("", 12, tone="quiet", wrap=True)
        self._picture = ResidualPicture()
        row = QHBoxLayout()
        row.setSpacing(px(8))
        row.addWidget(self._mark)
        row.addWidget(self._named, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, px(2))
        layout.setSpacing(px(4))
        layout.addWidget(Words("The last measurement", 14, "serif"))
        layout.addLayout(row)
        layout.addWidget(self._picture)
        layout.addWidget(self._evidence)
        self.hide()

    def show_carrier(self, carrier: "Carrier | None") -> None:
        """Show the model's name and the residual."""
        if carrier is self._carrier:
            return
        self._carrier = carrier
        self.setVisible(carrier is not None)
        if carrier is None:
            return
        self._mark.set_mark(model_mark(carrier))
        self._named.setText(model_sentence(carrier))
        self._evidence.setText(model_evidence(carrier))
        self._evidence.setVisible(bool(self._evidence.text()))
        self._picture.setVisible(bool(carrier.residual))
        self._picture.show_residual(carrier.residual, carrier.duration_s)


class ResidualPicture(QWidget):
    """Phase as dots about a line, level as another line, over the measurement's time."""

    def __init__(self) -> None:
        super().__init__()
        self._residual: tuple[tuple[float, float], ...] = ()
        self._duration_s = 0.0
        self.setAccessibleName("What a steady line leaves of the carrier")
        set_tip(self, "Dots: the phase once the line and its drift are taken off. Thin line: its level.")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As wide as its column."""
        return QSize(px(200), px(54))

    def show_residual(self, residual: tuple[tuple[float, float], ...], duration_s: float) -> None:
        """Show a residual."""
        self._residual, self._duration_s = residual, duration_s
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw level and phase of the residual."""
        if not self._residual:
            return
        painter, c = QPainter(self), palette()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(11))
        phases = [degrees(phase) for _, phase in self._residual]
        largest = max(abs(phase) for phase in phases)
        scale = next((scale_deg for scale_deg in SCALES_DEG if scale_deg >= largest), SCALES_DEG[-1])
        chart = QRectF(0, px(3), self.width() - px(40), self.height() - px(19))
        middle, step = chart.center().y(), chart.width() / len(phases)
        painter.setPen(QPen(c.colour("hairline"), 1))
        painter.drawLine(QPointF(chart.left(), middle), QPointF(chart.right(), middle))
        painter.setPen(QPen(c.colour("slate"), 1))
        highest = max(1.5, *(level for level, _ in self._residual))
        painter.drawPolyline(
            QPolygonF(
                QPointF(chart.left() + (i + 0.5) * step, chart.bottom() - level / highest * chart.height())
                for i, (level, _) in enumerate(self._residual)
            )
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(c.colour("spruce"))
        for i, phase in enumerate(phases):
            at = QPointF(chart.left() + (i + 0.5) * step, middle - phase / scale * chart.height() / 2)
            painter.drawEllipse(at, px(1.6), px(1.6))
        painter.setPen(c.colour("quiet"))
        last = chart.bottom() - self._residual[-1][0] / highest * chart.height()
        right = QRectF(chart.right() + px(4), last - px(8), px(40), px(16))
        painter.setPen(c.colour("slate"))
        painter.drawText(right, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), "level")
        painter.setPen(c.colour("quiet"))
        under = QRectF(chart.left(), chart.bottom() + px(1), chart.width(), px(15))
        painter.drawText(under, int(Qt.AlignmentFlag.AlignLeft), f"phase left over, ±{scale:g}°")
        painter.drawText(under, int(Qt.AlignmentFlag.AlignRight), f"{self._duration_s:.3g} s")
