"""Sound to the person's own device; without one, or when it goes away, quietly without."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QIODevice, QLoggingCategory, QObject

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioSink, QMediaDevices

# What may wait in the device: more would be heard late.
LATE_S = 0.4


class SoundOut(QObject):
    """Plays one channel or two, on two; opens the device at the first sound, and again when devices come or go."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._sink: QAudioSink | None = None
        self._io: QIODevice | None = None
        self._devices: QMediaDevices | None = None
        self._rate_hz = 0.0
        self._given_up = False
        self.state = ""

    def play(self, samples: NDArray[np.float32], rate_hz: float) -> None:
        """Add sound; what the device has no room for is dropped rather than heard late."""
        if self._given_up and rate_hz == self._rate_hz:
            return
        if self._sink is None or rate_hz != self._rate_hz:
            self._open(rate_hz)
        if self._sink is None or self._io is None:
            return
        room = self._sink.bytesFree() // 8
        both = samples if samples.ndim > 1 else np.stack([samples, samples], axis=1)
        self._io.write(both[:room].astype(np.float32).tobytes())

    def stop(self) -> None:
        """Silence; the device is given back."""
        if self._sink is not None:
            self._sink.stop()
        self._sink, self._io, self._given_up = None, None, False

    def _open(self, rate_hz: float) -> None:
        self.stop()
        self._rate_hz = rate_hz
        # What it lacks here is told by `state`; its own chatter helps nobody.
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")
        try:
            from PyQt6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
        except ImportError:
            self._given_up, self.state = True, "no sound: this computer lacks its library (Debian: libpulse0)"
            return
        if self._devices is None:
            self._devices = QMediaDevices(self)
            self._devices.audioOutputsChanged.connect(self.stop)
        device = QMediaDevices.defaultAudioOutput()
        if device.isNull():
            self._given_up, self.state = True, "no sound device here: nothing is played"
            return
        wanted = QAudioFormat()
        wanted.setSampleRate(round(rate_hz))
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        self._sink = QAudioSink(device, wanted, self)
        self._sink.setBufferSize(int(8 * LATE_S * rate_hz))
        self._io = self._sink.start()
        if self._io is None:
            self._sink, self._given_up, self.state = None, True, "the sound device cannot be opened"
            return
        self.state = f"played on {device.description()}"
