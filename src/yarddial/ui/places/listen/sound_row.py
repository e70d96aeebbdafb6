"""Audio output: device, volume, mute; and level bars, even where nobody can hear it."""

from collections.abc import Callable

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from yarddial.ui.sound_device_box import DeviceBox
from yarddial.ui.sound_out import SoundOut
from yarddial.ui.theme.lettering import font, px
from yarddial.ui.theme.palette import palette
from yarddial.ui.widgets.tip import set_tip

# Lower end of the bars.
MIN_DB = -60.0


class LevelBars(QWidget):
    """Two thin bars, left and right, from -60 dB to full scale."""

    def __init__(self, sound: SoundOut) -> None:
        super().__init__()
        self._sound = sound
        self.setAccessibleName("Level of the sound")
        self.setMinimumHeight(px(12))
        sound.levels_moved.connect(self.update)

    def sizeHint(self) -> QSize:
        """As wide as there is room."""
        return QSize(px(120), px(12))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw level and squelch."""
        painter, c = QPainter(self), palette()
        high = self.height() / 2 - px(1)
        for row, level_db in enumerate(self._sound.levels_db):
            share = min(max(1 - level_db / MIN_DB, 0.0), 1.0)
            top = row * (high + px(2))
            painter.fillRect(QRectF(0, top, self.width(), high), c.colour("hairline"))
            tone = "vermilion" if level_db > -1.0 else "spruce"
            painter.fillRect(QRectF(0, top, self.width() * share, high), c.colour(tone))


class SoundRow(QWidget):
    """Bars above; device, volume and mute below."""

    def __init__(self, sound: SoundOut, chosen: Callable[[str], object] = lambda name: None) -> None:
        super().__init__()
        self._sound = sound
        self.bars = LevelBars(sound)
        self.device = DeviceBox(sound, chosen)
        self.volume = QSlider(Qt.Orientation.Horizontal)
        self.volume.setAccessibleName("Volume")
        set_tip(self.volume, "How loud it is played; levels and measurements do not change")
        self.volume.setRange(0, 100)
        self.volume.setValue(round(100 * sound.volume))
        self.volume.valueChanged.connect(lambda value: sound.set_volume(value / 100))
        self.mute = QCheckBox("mute")
        self.mute.setFont(font(12))
        self.mute.toggled.connect(sound.set_muted)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.volume, 1)
        row.addWidget(self.mute)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(px(4))
        layout.addWidget(self.bars)
        layout.addLayout(row)
        layout.addWidget(self.device)
