"""Audio processing after the demodulator: gain control, squelch, de-emphasis, noise reduction."""

from math import log10

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.slow_mean import ramps

SoundArray = NDArray[np.float32]
# Length of the pieces on which gain control works, and the peak to which it raises audio.
PIECE_S, TARGET_PEAK = 0.01, 0.5
# Gain rise in dB/s after the hold time, and the largest gain.
RISE_DB_S, HOLD_S, MAX_DB = 30.0, 0.3, 90.0
# Number of pieces that set the first gain.
FIRST_PIECES = 4


class AutomaticGain:
    """Automatic gain control: fast attack, hold, slow release."""

    def __init__(self, rate_hz: float) -> None:
        self._piece = int(rate_hz * PIECE_S)
        # No gain before the first pieces are measured: starting at the maximum would crack.
        self._gain_db: float | None = None
        self._hold_s = 0.0
        self._held = np.empty(0, np.float32)

    @property
    def gain_db(self) -> float:
        """Gain in force; 0 before the first audio."""
        return self._gain_db or 0.0

    def take_over(self, former: "AutomaticGain") -> None:
        """Continue with the gain of a former channel, since the next is mostly as loud."""
        self._gain_db, self._hold_s = former._gain_db, former._hold_s

    def push(self, sound: SoundArray) -> SoundArray:
        """Output one piece late, so that the gain falls before a peak."""
        joined = np.concatenate([self._held, sound]) if self._held.size else sound
        pieces = max(len(joined) // self._piece - 1, 0)
        if not pieces:
            self._held = joined.copy()
            return joined[:0]
        # Both stereo channels share one gain.
        rows = joined[: (pieces + 1) * self._piece].reshape(pieces + 1, -1)
        peaks = np.abs(rows).max(axis=1).tolist()
        if self._gain_db is None:
            self._gain_db = min(min(20 * log10(TARGET_PEAK / max(peak, 1e-9)), MAX_DB) for peak in peaks[:FIRST_PIECES])
        gains = [10 ** (self._gain_db / 20)]
        for peak in peaks[1:]:
            wanted_db = min(20 * log10(TARGET_PEAK / max(peak, 1e-9)), MAX_DB)
            if wanted_db < self._gain_db:
                self._gain_db, self._hold_s = wanted_db, HOLD_S
            elif self._hold_s > 0:
                self._hold_s -= PIECE_S
            else:
                self._gain_db = min(self._gain_db + RISE_DB_S * PIECE_S, wanted_db)
            gains.append(10 ** (self._gain_db / 20))
        count = pieces * self._piece
        self._held = joined[count:].copy()
        ramp = _along(ramps(np.asarray(gains, np.float32), self._piece), joined)
        return np.asarray(np.clip(joined[:count] * ramp, -1.0, 1.0), np.float32)


class Deemphasis:
    """One-pole de-emphasis: 50 or 75 us for broadcasting, 0 for none."""

    def __init__(self, rate_hz: float, constant_us: float) -> None:
        self._pole = float(np.exp(-1e6 / (rate_hz * constant_us))) if constant_us else 0.0
        self._state: NDArray[np.float64] | None = None

    def push(self, sound: SoundArray) -> SoundArray:
        """Apply de-emphasis; unit gain at zero frequency."""
        if not self._pole or not sound.size:
            return sound
        import scipy.signal

        if self._state is None:
            self._state = np.zeros((1, *sound.shape[1:]))
        out, self._state = scipy.signal.lfilter([1 - self._pole], [1.0, -self._pole], sound, axis=0, zi=self._state)
        return np.asarray(out, np.float32)


class NoiseReduction:
    """Noise reduction: a Wiener gain per frequency band on overlapping pieces, against a slowly tracked floor."""

    SIZE = 1024

    def __init__(self, depth_db: float = 15.0) -> None:
        self._min_gain = 10 ** (-depth_db / 20)
        self._window = np.sqrt(np.hanning(self.SIZE + 1)[:-1]).astype(np.float32)
        self._held, self._tail = np.zeros(self.SIZE // 2, np.float32), np.zeros(self.SIZE // 2, np.float32)
        self._floor: NDArray[np.float64] | None = None
        self._smooth = np.zeros(self.SIZE // 2 + 1)

    def push(self, sound: SoundArray) -> SoundArray:
        """Reduce noise, with a delay of half a piece."""
        half = self.SIZE // 2
        joined = np.concatenate([self._held, sound])
        count = joined.size // half - 1
        out = []
        for k in range(count):
            spectrum = np.fft.rfft(joined[k * half : k * half + self.SIZE] * self._window)
            power = np.abs(spectrum) ** 2
            self._smooth = 0.7 * self._smooth + 0.3 * power
            # Track the floor fast downwards and slowly upwards: a simple form of minimum statistics.
            if self._floor is None:
                self._floor, self._smooth = power + 1e-20, power
            rising = np.minimum(self._smooth, self._floor * 1.01)
            self._floor = np.maximum(
                np.where(self._smooth < self._floor, 0.9 * self._floor + 0.1 * rising, rising), 1e-20
            )
            gain = np.clip(1 - 2.0 * self._floor / np.maximum(self._smooth, 1e-20), self._min_gain, 1.0)
            piece = (np.fft.irfft(spectrum * gain) * self._window).astype(np.float32)
            out.append(self._tail + piece[:half])
            self._tail = piece[half:]
        self._held = joined[max(count, 0) * half :].copy()
        return np.concatenate(out) if out else np.empty(0, np.float32)


class Squelch:
    """Squelch: opens above a level, closes 3 dB below it, and fades over a piece to avoid clicks."""

    def __init__(self, opens_dbfs: float | None) -> None:
        self.opens_dbfs = opens_dbfs
        self.is_open = opens_dbfs is None

    def push(self, sound: SoundArray, level_dbfs: float) -> SoundArray:
        """Pass audio, or silence while the level is too low."""
        was = self.is_open
        if self.opens_dbfs is None:
            self.is_open = True
        else:
            self.is_open = level_dbfs > self.opens_dbfs - (3.0 if was else 0.0)
        if was and self.is_open:
            return sound
        if not was and not self.is_open:
            return np.zeros_like(sound)
        ramp = _along(np.linspace(0.0, 1.0, len(sound), dtype=np.float32), sound)
        return np.asarray(sound * (ramp if self.is_open else ramp[::-1]), np.float32)


def _along(ramp: SoundArray, sound: SoundArray) -> SoundArray:
    """Shape a factor per instant for one or two channels."""
    return ramp if sound.ndim == 1 else ramp[:, None]
