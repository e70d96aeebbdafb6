"""The whole span at once: mean spectrum, peak hold, and the statistics of I, Q and the centre, in one fast pass."""

from math import log10

import msgspec
import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
Levels = NDArray[np.float32]
POINTS = 4096
# Transforms made together: their arrays fill the processor's cache and no more.
ROWS = 32
SILENCE = 1e-20


class Survey(msgspec.Struct, frozen=True):
    """What a stretch of samples holds; levels in dB relative to full scale, low frequency first.

    mean_db, peak_db : shape (POINTS,). A full-scale tone on a bin gives 0 dB.
    spike_db : level of what stands still at the centre.
    image_db : how far mirror images are down, from the samples' lack of circularity |E x^2| / E |x|^2 = 2 / sqrt(r).
    """

    count: int
    mean_db: Levels
    peak_db: Levels
    spike_db: float
    image_db: float


class SpanSurveyor:
    """Takes samples in any pieces; whatever is short of a whole set of transforms waits for the next piece."""

    def __init__(self) -> None:
        window = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(POINTS) / POINTS)).astype(np.float32)
        self._window = np.repeat(window / window.sum(), 2)
        self._scaled, self._full = self._window, 1.0
        self._room = np.empty((ROWS, 2 * POINTS), np.float32)
        self._power = np.empty((ROWS, POINTS), np.float32)
        self._room_2 = np.empty((ROWS, POINTS), np.float32)
        self._ones = np.ones(ROWS * POINTS, np.float32)
        self._rest: NDArray[np.generic] | None = None
        self.clear()

    def clear(self) -> None:
        """Begin anew; the samples that wait stay."""
        self._sets = 0
        self._sum = np.zeros(POINTS)
        self._peak = np.zeros(POINTS, np.float32)
        self._total, self._square, self._size = 0j, 0j, 0.0

    def push(self, samples: Complex) -> None:
        """Take complex samples, full scale 1.0."""
        self._push(samples.view(np.float32), 0.0, 1.0)

    def push_bytes(self, parts: NDArray[np.uint8]) -> None:
        """Take interleaved unsigned bytes, I first, zero at 127.5: nothing is converted but what is transformed."""
        self._push(parts, 127.5, 127.5)

    def result(self) -> Survey:
        """What has been seen since the beginning; all -200 dB before the first whole set."""
        transforms, count = max(self._sets * ROWS, 1), max(self._sets * ROWS * POINTS, 1)
        mean = np.fft.fftshift(self._sum) / transforms
        middle = self._total / count
        # Without what stands still at the centre: E x^2 and E |x|^2.
        lack = abs(self._square / count - middle**2) / max(self._size / count - abs(middle) ** 2, SILENCE)
        return Survey(
            self._sets * ROWS * POINTS,
            (10 * np.log10(mean + SILENCE)).astype(np.float32),
            (10 * np.log10(np.fft.fftshift(self._peak) + np.float32(SILENCE))).astype(np.float32),
            10 * log10(abs(middle) ** 2 + SILENCE),
            20 * log10(2 / max(lack, 1e-6)),
        )

    def _push(self, parts: NDArray[np.generic], zero: float, full: float) -> None:
        if self._rest is not None and self._rest.size:
            parts = np.concatenate([self._rest, parts])
        size = self._room.size
        whole = parts.size // size * size
        for first in range(0, whole, size):
            self._take(parts[first : first + size], zero, full)
        self._rest = parts[whole:]

    def _take(self, parts: NDArray[np.generic], zero: float, full: float) -> None:
        from scipy import fft

        np.copyto(self._room, parts.reshape(self._room.shape), casting="unsafe")
        flat = self._room.reshape(-1)
        values, count, offset = flat.view(np.complex64), flat.size // 2, complex(zero, zero)
        total, square, size = complex(*(self._ones @ flat.reshape(-1, 2))), complex(values @ values), float(flat @ flat)
        # With zero elsewhere: sum (x - z)^2 = sum x^2 - 2 z sum x + n z^2, and so for the size.
        self._total += (total - count * offset) / full
        self._square += (square - 2 * offset * total + count * offset**2) / full**2
        self._size += (size - 2 * (offset.conjugate() * total).real + count * abs(offset) ** 2) / full**2
        if full != self._full:
            self._scaled, self._full = self._window / np.float32(full), full
        self._room *= self._scaled
        spectra = fft.fft(self._room.view(np.complex64), axis=1, overwrite_x=True)
        if zero:
            # The Hann window leaves of a constant only three bins: 1, -1/2, -1/2.
            constant = np.complex64(complex(zero, zero) / full)
            spectra[:, 0] -= constant
            spectra[:, 1] += constant / 2
            spectra[:, -1] += constant / 2
        np.multiply(spectra.real, spectra.real, out=self._power)
        np.multiply(spectra.imag, spectra.imag, out=self._room_2)
        self._power += self._room_2
        self._sum += np.ones(ROWS, np.float32) @ self._power
        np.maximum(self._peak, self._power.max(axis=0), out=self._peak)
        self._sets += 1
