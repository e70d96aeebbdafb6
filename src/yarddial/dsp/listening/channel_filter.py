"""Channel filter with freely movable edges, by overlapping transforms."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.windows import windows

Complex = NDArray[np.complex64]
# Kaiser's beta for 75 dB, whose transition is (A - 8) / (2.285 (n - 1)) radians per sample.
KAISER_BETA, STOP_DB = 7.45, 75.0
# Maximum buffering in seconds, unless that is below a third of the filter's length.
LATE_S = 0.045


class ChannelFilter:
    """Pass the part of a complex stream between two edges, block after block.

    An output sample is centred `delay_samples` behind its input.

    Parameters
    ----------
    rate_hz : float
        Complex sample rate.
    low_hz, high_hz : float
        Edges relative to zero, where the response is half; 75 dB down beyond half the transition outside them.
    transition_hz : float
        Width of an edge, from pass to stop.
    """

    def __init__(self, rate_hz: float, low_hz: float, high_hz: float, transition_hz: float = 200.0) -> None:
        self._rate_hz = rate_hz
        self._taps = 2 * int((STOP_DB - 8) / (2.285 * 2 * np.pi * transition_hz / rate_hz) / 2) + 3
        self._size = max(1 << int(np.ceil(np.log2(4 * self._taps))), 1024)
        # A long buffer is heard as delay.
        while self._size - self._taps > LATE_S * rate_hz and self._size > max(1.4 * self._taps, 1024):
            self._size //= 2
        if self._size < 1.3 * self._taps:
            self._size *= 2
        self.delay_samples = (self._taps - 1) // 2
        self.set_edges(low_hz, high_hz)
        self._held = np.zeros(self._taps - 1, np.complex64)

    def set_edges(self, low_hz: float, high_hz: float) -> None:
        """Move the edges without interrupting the stream."""
        self._response = _response(self._rate_hz, low_hz, high_hz, self._taps, self._size)

    def push(self, samples: Complex) -> Complex:
        """Take samples and return those completed, in steps of some dozens of milliseconds."""
        import scipy.fft

        joined = np.concatenate([self._held, samples])
        step = self._size - self._taps + 1
        rows = (joined.size - self._taps + 1) // step
        if rows <= 0:
            self._held = joined
            return np.empty(0, np.complex64)
        spectra = scipy.fft.fft(windows(joined, self._size, step, rows), axis=1)
        spectra *= self._response
        whole = scipy.fft.ifft(spectra, axis=1, overwrite_x=True)
        self._held = joined[rows * step :].copy()
        return np.asarray(whole[:, self._taps - 1 :].reshape(-1), np.complex64)


@lru_cache(maxsize=32)
def _response(rate_hz: float, low_hz: float, high_hz: float, taps: int, size: int) -> Complex:
    """Frequency response of a Kaiser-windowed sinc, shifted to the middle of the edges."""
    n = np.arange(taps) - (taps - 1) / 2
    half = (high_hz - low_hz) / (2 * rate_hz)
    low_pass = 2 * half * np.sinc(2 * half * n) * np.kaiser(taps, KAISER_BETA)
    shifted = low_pass * np.exp(2j * np.pi * (low_hz + high_hz) / (2 * rate_hz) * n)
    return np.fft.fft(shifted, size).astype(np.complex64)
