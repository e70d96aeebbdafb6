"""One fast pass over a span: mean spectrum, peak hold, and statistics of I, Q and the centre."""

from math import log10

import msgspec
import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
DecibelLevels = NDArray[np.float32]
FFT_POINTS = 4096
# Transforms made together, chosen to fill the processor's cache.
BATCH_ROWS = 32
MIN_POWER = 1e-20


class Survey(msgspec.Struct, frozen=True):
    """What a stretch of samples holds; levels in dB relative to full scale, low frequency first.

    mean_db, peak_db : shape (POINTS,). A full-scale tone on a bin gives 0 dB.
    spike_db : level of what stands still at the centre.
    image_db : how far mirror images are down, from the samples' lack of circularity |E x^2| / E |x|^2 = 2 / sqrt(r).
    """

    count: int
    mean_db: DecibelLevels
    peak_db: DecibelLevels
    spike_db: float
    image_db: float


class SpanSurveyor:
    """Accumulate samples in pieces of any length; the remainder of a set of transforms waits for the next piece."""

    def __init__(self) -> None:
        window = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(FFT_POINTS) / FFT_POINTS)).astype(np.float32)
        self._window = np.repeat(window / window.sum(), 2)
        self._room = np.empty((BATCH_ROWS, 2 * FFT_POINTS), np.float32)
        self._power = np.empty((BATCH_ROWS, FFT_POINTS), np.float32)
        self._room_2 = np.empty((BATCH_ROWS, FFT_POINTS), np.float32)
        self._ones = np.ones(BATCH_ROWS * FFT_POINTS, np.float32)
        self._rest: NDArray[np.float32] | None = None
        self.clear()

    def clear(self) -> None:
        """Restart; waiting samples stay."""
        self._sets = 0
        self._sum = np.zeros(FFT_POINTS)
        self._peak = np.zeros(FFT_POINTS, np.float32)
        self._total, self._square, self._size = 0j, 0j, 0.0

    def push(self, samples: Complex) -> None:
        """Take complex samples, full scale 1.0."""
        parts = samples.view(np.float32)
        if self._rest is not None and self._rest.size:
            parts = np.concatenate([self._rest, parts])
        size = self._room.size
        whole = parts.size // size * size
        for first in range(0, whole, size):
            self._take(parts[first : first + size])
        self._rest = parts[whole:]

    def result(self) -> Survey:
        """Statistics since the start; all -200 dB before the first complete set."""
        transforms, count = max(self._sets * BATCH_ROWS, 1), max(self._sets * BATCH_ROWS * FFT_POINTS, 1)
        mean = np.fft.fftshift(self._sum) / transforms
        middle = self._total / count
        # Exclude the spike at the centre from E x^2 and E |x|^2.
        lack = abs(self._square / count - middle**2) / max(self._size / count - abs(middle) ** 2, MIN_POWER)
        return Survey(
            self._sets * BATCH_ROWS * FFT_POINTS,
            (10 * np.log10(mean + MIN_POWER)).astype(np.float32),
            (10 * np.log10(np.fft.fftshift(self._peak) + np.float32(MIN_POWER))).astype(np.float32),
            10 * log10(abs(middle) ** 2 + MIN_POWER),
            20 * log10(2 / max(lack, 1e-6)),
        )

    def _take(self, parts: NDArray[np.float32]) -> None:
        from scipy import fft

        values, pairs = parts.view(np.complex64), parts.reshape(-1, 2)
        self._total += complex(*(self._ones @ pairs))
        self._square += complex(values @ values)
        self._size += float(parts @ parts)
        np.multiply(parts.reshape(self._room.shape), self._window, out=self._room)
        spectra = fft.fft(self._room.view(np.complex64), axis=1, overwrite_x=True)
        np.multiply(spectra.real, spectra.real, out=self._power)
        np.multiply(spectra.imag, spectra.imag, out=self._room_2)
        self._power += self._room_2
        self._sum += np.ones(BATCH_ROWS, np.float32) @ self._power
        np.maximum(self._peak, self._power.max(axis=0), out=self._peak)
        self._sets += 1
