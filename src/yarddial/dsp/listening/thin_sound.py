"""Audio for narrow links: one or two channels at a reduced rate, two values in a complex sample."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.listening.resampling import Resampler

Complex = NDArray[np.complex64]
SoundArray = NDArray[np.float32]
# Share of the reduced Nyquist band that is kept.
CUT_SHARE = 0.46


class ThinSound:
    """Pack two channels as left + j right, or consecutive samples of one channel in pairs."""

    def __init__(self, rate_hz: float, wanted_hz: float, *, is_stereo: bool) -> None:
        self.is_stereo = is_stereo
        self._each = [Resampler(rate_hz, wanted_hz, CUT_SHARE * wanted_hz) for _ in range(2 if is_stereo else 1)]
        self.rate_hz = self._each[0].out_rate_hz
        self._held: SoundArray = np.empty(0, np.float32)

    def push(self, samples: SoundArray) -> Complex:
        """Take audio of shape (n,) or (n, 2); return what is complete."""
        sides = samples.reshape(len(samples), -1)
        left, right = sides[:, 0], sides[:, -1]
        if self.is_stereo:
            both = np.stack([self._each[0].push(left), self._each[1].push(right)], axis=1)
            return np.ascontiguousarray(both, np.float32).view(np.complex64)[:, 0]
        joined = np.concatenate([self._held, self._each[0].push(np.asarray(0.5 * (left + right), np.float32))])
        whole = joined.size // 2 * 2
        self._held = joined[whole:]
        return np.ascontiguousarray(joined[:whole]).view(np.complex64)


class FilledSound:
    """Restore packed audio to the playback rate."""

    def __init__(self, rate_hz: float, played_hz: float, *, is_stereo: bool) -> None:
        self._is_stereo = is_stereo
        self._each = [Resampler(rate_hz, played_hz, CUT_SHARE * rate_hz) for _ in range(2 if is_stereo else 1)]
        self.rate_hz = self._each[0].out_rate_hz

    def push(self, samples: Complex) -> SoundArray:
        """Return audio of shape (n,), or (n, 2) for two channels."""
        halves = np.ascontiguousarray(samples).view(np.float32)
        if self._is_stereo:
            sides = [demodulator.push(np.ascontiguousarray(halves[at::2])) for at, demodulator in enumerate(self._each)]
            return np.stack(sides, axis=1)
        return self._each[0].push(halves)
