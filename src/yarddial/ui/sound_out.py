"""Audio output to the chosen device; without one it stays silent and says so."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QIODevice, QLoggingCategory, QObject, QTimer, pyqtSignal

from yarddial.dsp.listening.playout import Playout
from yarddial.yard import clock
from yarddial.yard.plain_text import count_of

if TYPE_CHECKING:
    from PyQt6.QtMultimedia import QAudioDevice, QAudioSink, QMediaDevices

# Maximum audio queued in the device; more would add delay.
LATE_S = 0.4
# Interval at which audio from afar is handed to the sound output.
BEAT_MS = 20
MISSING_LIBRARY = "no sound: this computer lacks its library; this line installs it: sudo apt-get install libpulse0"
NO_DEVICE = "no sound device here: plug one in, or start the system's sound server; it is then taken by itself"


class SoundOut(QObject):
    """Plays one or two channels; opens the device at the first audio, and again when devices change.

    volume : 0 to 1 on a perceptual scale. `levels` : of the audio, dB relative to full scale, left and right, played or
    not.
    """

    levels_moved = pyqtSignal()
    devices_changed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._sink: QAudioSink | None = None
        self._io: QIODevice | None = None
        self._devices: QMediaDevices | None = None
        self._rate_hz = 0.0
        self._given_up = False
        self._wanted = ""
        self._volume, self._muted = 1.0, False
        self._is_smooth = False
        self._playout: Playout | None = None
        self._beat = QTimer(self)
        self._beat.setInterval(BEAT_MS)
        self._beat.timeout.connect(self._pump)
        self.levels_db: tuple[float, float] = (-120.0, -120.0)
        self.state = ""

    def play(self, samples: NDArray[np.float32], rate_hz: float) -> None:
        """Add audio; drop what the device has no room for, instead of delaying it."""
        both = samples if samples.ndim > 1 else np.stack([samples, samples], axis=1)
        self._weigh(both)
        if self._is_smooth and (self._playout is None or rate_hz != self._rate_hz):
            self._playout = Playout(rate_hz)
            self._beat.start()
        if self._playout is not None:
            self._playout.put(both, clock.monotonic_s())
        if not (self._given_up and rate_hz == self._rate_hz) and (self._sink is None or rate_hz != self._rate_hz):
            self._open(rate_hz)
        if self._playout is None:
            self._write(both)
        else:
            self._pump()

    def smooth(self, *, wanted: bool) -> None:
        """Buffer audio from afar against jitter, and count gaps."""
        self._is_smooth = wanted
        if not wanted:
            self._playout = None
            self._beat.stop()

    @property
    def remark(self) -> str:
        """Remark on the playback of audio from afar; empty where it is even."""
        if self._playout is None or not self._beat.isActive():
            return ""
        gaps = self._playout.gaps(clock.monotonic_s())
        gap_words = "no gap" if not gaps else count_of(gaps, "gap")
        return f"held {self._playout.wanted_s:.1f} s for an uneven link, {gap_words} in the last minute"

    def _pump(self) -> None:
        """Pass due audio to the device, by its remaining queue."""
        if self._playout is None:
            return
        queued_s = None
        if self._sink is not None:
            queued_s = (self._sink.bufferSize() - self._sink.bytesFree()) / (8 * self._rate_hz)
        self._write(self._playout.take(clock.monotonic_s(), queued_s))

    def _write(self, both: NDArray[np.float32]) -> None:
        if self._sink is not None and self._io is not None and len(both):
            room = self._sink.bytesFree() // 8
            self._io.write(both[:room].astype(np.float32).tobytes())

    def stop(self) -> None:
        """Go silent and release the device."""
        if self._sink is not None:
            self._sink.stop()
        self._sink, self._io, self._given_up = None, None, False
        self._playout = None
        self._beat.stop()
        self.levels_db = (-120.0, -120.0)
        self.levels_moved.emit()

    @property
    def is_sounding(self) -> bool:
        """True while audio is produced, played or not."""
        return max(self.levels_db) > -120.0

    @property
    def volume(self) -> float:
        """Volume from 0 to 1 on a perceptual scale."""
        return self._volume

    def set_volume(self, volume: float) -> None:
        """Change the volume at once."""
        self._volume = min(max(volume, 0.0), 1.0)
        self._set_sink_volume()

    def set_muted(self, muted: bool) -> None:
        """Mute or unmute."""
        self._muted = muted
        self._set_sink_volume()

    def names(self) -> list[str]:
        """Names of the present devices, without the system's own choice. Loads the audio library."""
        self._watch()
        if self._devices is None:
            return []
        return [device.description() for device in self._devices.audioOutputs()]

    @property
    def wanted(self) -> str:
        """Name of the chosen device; empty for the system's own choice."""
        return self._wanted

    def choose(self, name: str) -> None:
        """Play on this device from now on; an empty name leaves the choice to the system."""
        self._wanted = name
        self.stop()

    def _weigh(self, both: NDArray[np.float32]) -> None:
        if both.size:
            power = np.mean(np.square(both, dtype=np.float64), axis=0)
            left, right = (10 * float(np.log10(max(side, 1e-12))) for side in power)
            self.levels_db = (left, right)
            self.levels_moved.emit()

    def _set_sink_volume(self) -> None:
        if self._sink is not None:
            # Perceived loudness follows about the third power.
            self._sink.setVolume(0.0 if self._muted else self._volume**3)

    def _watch(self) -> None:
        """Watch for devices; does nothing where the library is missing."""
        if self._devices is not None:
            return
        # `state` reports what is missing; Qt's own messages do not help.
        QLoggingCategory.setFilterRules("qt.multimedia.*=false")
        try:
            from PyQt6.QtMultimedia import QMediaDevices
        except ImportError:
            self._given_up, self.state = True, MISSING_LIBRARY
            return
        self._devices = QMediaDevices(self)
        self._devices.audioOutputsChanged.connect(self._changed)

    def _changed(self) -> None:
        self.stop()
        self.devices_changed.emit()

    def _device(self) -> "QAudioDevice | None":
        """The chosen device, or the system's own if that is missing; None where there is none."""
        if self._devices is None:
            return None
        chosen = next((output for output in self._devices.audioOutputs() if output.description() == self._wanted), None)
        device = chosen or self._devices.defaultAudioOutput()
        return None if device.isNull() else device

    def _open(self, rate_hz: float) -> None:
        playout = self._playout
        self.stop()
        self._rate_hz, self._playout = rate_hz, playout
        if playout is not None:
            self._beat.start()
        self._watch()
        if self._devices is None:
            return
        device = self._device()
        if device is None:
            self._given_up, self.state = True, NO_DEVICE
            return
        from PyQt6.QtMultimedia import QAudioFormat, QAudioSink

        wanted = QAudioFormat()
        wanted.setSampleRate(round(rate_hz))
        wanted.setChannelCount(2)
        wanted.setSampleFormat(QAudioFormat.SampleFormat.Float)
        self._sink = QAudioSink(device, wanted, self)
        self._sink.setBufferSize(int(8 * LATE_S * rate_hz))
        self._set_sink_volume()
        self._io = self._sink.start()
        if self._io is None:
            self._sink, self._given_up = None, True
            self.state = f"'{device.description()}' cannot be opened: choose another device"
            return
        gone = self._wanted and device.description() != self._wanted
        missing = f"'{self._wanted}' is not there; " if gone else ""
        self.state = f"{missing}played on {device.description()}"
