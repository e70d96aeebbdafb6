"""Sample formats of the kernel interface and their conversion to complex64: five formats of `linux/videodev2.h`."""

from collections.abc import Callable
from math import pi

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
# Taps of the half-band filter for real samples: flat within 0.01 dB to 0.4 of the complex rate, 80 dB beyond 0.6.
HALF_TAPS = 63


class Interleaved:
    """Interleaved integers I, Q, I, Q... with a zero and a full scale."""

    def __init__(self, kind: str, zero: float, full: float, spare_bits: int = 0) -> None:
        self._kind, self._zero, self._full, self._spare_bits = np.dtype(kind), zero, full, spare_bits

    sample_rate_share = 1.0

    @property
    def bytes_a_sample(self) -> int:
        """Bytes of one complex sample."""
        return 2 * self._kind.itemsize

    def convert(self, data: bytes | memoryview) -> Complex:
        """Convert whole samples to complex64; an incomplete one at the end is dropped."""
        size = self.bytes_a_sample
        parts = np.frombuffer(data, self._kind, len(data) // size * 2)
        if self._spare_bits:
            # The upper bits are undefined, so extend the sign from the data bits.
            parts = (parts << self._spare_bits) >> self._spare_bits
        values = (parts.astype(np.float32) - np.float32(self._zero)) * np.float32(1 / self._full)
        return values.view(np.complex64)


class Real12:
    """Unsigned real 12-bit samples: a quarter of their rate becomes the centre, at half the rate.

    The filter keeps its state from one buffer to the next; the first samples show its transient.
    """

    sample_rate_share = 0.5
    bytes_a_sample = 4

    def __init__(self) -> None:
        n = np.arange(HALF_TAPS) - HALF_TAPS // 2
        taps = np.sinc(n / 2) / 2 * np.kaiser(HALF_TAPS, 8.0)
        self._taps = (taps / taps.sum()).astype(np.float64)
        self._left = np.zeros(HALF_TAPS - 1, np.complex128)
        self._turn = 0

    def convert(self, data: bytes | memoryview) -> Complex:
        """Convert an even number of real samples to half as many complex ones."""
        parts = np.frombuffer(data, "<u2", len(data) // 4 * 2)
        real = ((parts & 0x0FFF).astype(np.float64) - 2047.5) / 2047.5
        mixed = real * np.exp(-1j * pi / 2 * (np.arange(self._turn, self._turn + real.size) % 4))
        self._turn = (self._turn + real.size) % 4
        whole = np.concatenate([self._left, mixed])
        self._left = whole[-(HALF_TAPS - 1) :]
        # A real tone has half its amplitude on each side; double it to keep full scale.
        return (2 * np.convolve(whole, self._taps, "valid")[::2]).astype(np.complex64)


def four_cc(name: str) -> int:
    """The header's v4l2_fourcc: four letters as a number, the first in the lowest byte."""
    return int.from_bytes(name.encode(), "little")


Conversion = Interleaved | Real12
# By the header's name: its letters, bits and converter; more bits first.
FORMATS: dict[str, tuple[str, int, Callable[[], Conversion]]] = {
    "CU16LE": ("CU16", 16, lambda: Interleaved("<u2", 32767.5, 32767.5)),
    "CS14LE": ("CS14", 14, lambda: Interleaved("<i2", 0.0, 8192.0, 2)),
    "RU12LE": ("RU12", 12, Real12),
    "CS8": ("CS08", 8, lambda: Interleaved("i1", 0.0, 128.0)),
    "CU8": ("CU08", 8, lambda: Interleaved("u1", 127.5, 127.5)),
}
