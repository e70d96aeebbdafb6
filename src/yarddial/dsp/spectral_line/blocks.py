"""Reduction of a record to some dozens of block means around a line, in units of the noise beside it."""

from functools import cached_property

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import CLEAN_FRACTION, decimate, decimation_for
from yarddial.yard.errors import BadSamples

Complex = NDArray[np.complex64]
Wide = NDArray[np.complex128]
Floats = NDArray[np.float64]

# Minimum number of block means. Half of them over the duration is the half bandwidth in hertz.
MIN_BLOCKS = 288
# Minimum number of samples in a block.
MIN_BLOCK_SAMPLES = 6
# Measure the noise within this ring around the line, but outside the bins of the line itself.
OWN_BINS, RING_HZ, MAX_RING_BINS = 6, 100.0, 4_000


class Blocks(msgspec.Struct, frozen=True, dict=True):
    """Means of equal stretches, turned back by a line's frequency and drift.

    means : ndarray of complex128, shape (n,); complex noise of unit variance.
    time_s : ndarray of float64, shape (n,); middles of the stretches from the middle of the record.
    record_s : duration of the record, of which a filter's ends are not in the blocks.
    """

    means: Wide
    time_s: Floats
    block_s: float
    record_s: float

    @property
    def duration_s(self) -> float:
        """Duration covered by the blocks, seconds."""
        return float(self.block_s * self.means.size)

    @cached_property
    def energy(self) -> float:
        """Energy of signal and noise, in units of a block's noise."""
        return float(np.vdot(self.means, self.means).real)

    def condensed(self, limit: int) -> "Blocks":
        """Combine into at most this many longer blocks."""
        group = next(g for g in range(1, MIN_BLOCKS + 1) if self.means.size % g == 0 and self.means.size // g <= limit)
        if group == 1:
            return self
        means = self.means.reshape(-1, group).sum(axis=1) / np.sqrt(group)
        return Blocks(means, self.time_s.reshape(-1, group).mean(axis=1), self.block_s * group, self.record_s)

    def loudest_hz(self) -> float:
        """Frequency of the strongest line within a bin of zero."""
        few = self.condensed(96)
        places = np.linspace(-1.0, 1.0, 81) / self.duration_s
        power = np.abs(np.exp(-2j * np.pi * np.outer(places, few.time_s)) @ few.means) ** 2
        return float(places[int(np.argmax(power))])

    def width_hz(self) -> float:
        """Standard deviation over frequency of the power above the noise."""
        power = np.abs(np.fft.fft(self.means)) ** 2 / self.means.size - 1.0
        hertz = np.fft.fftfreq(self.means.size, self.block_s)
        over = np.where(power > 3.0, power, 0.0)
        total = max(float(over.sum()), 1e-12)
        middle = float(over @ hertz) / total
        return float(max(float(over @ (hertz - middle) ** 2) / total, 0.0) ** 0.5)

    def turned(self, hertz: float, drift_hz_per_s: float = 0.0) -> Wide:
        """Rotate the means by a further frequency and drift."""
        turns = hertz * self.time_s + drift_hz_per_s * self.time_s**2 / 2
        return np.asarray(self.means * np.exp(-2j * np.pi * turns))


class Record:
    """The searched slice, from which blocks around any line are made."""

    def __init__(self, narrow: Complex, rate_hz: float, clean_hz: float, record_s: float = 0.0) -> None:
        self.narrow, self.rate_hz, self.clean_hz = narrow, rate_hz, clean_hz
        self.duration_s = narrow.size / rate_hz
        self.record_s = record_s or self.duration_s

    def require_live(self) -> None:
        """Refuse a constant or non-finite slice; one bad value spreads over a whole filter length."""
        if not np.isfinite(float(np.vdot(self.narrow, self.narrow).real)):
            raise BadSamples("the samples hold values that are not finite: the recording is damaged")

    def still(self, hertz: float, drift_hz_per_s: float = 0.0) -> Complex:
        """Remove a line's frequency and drift from the slice."""
        time_s = (np.arange(self.narrow.size) - (self.narrow.size - 1) / 2) / self.rate_hz
        turns = hertz * time_s
        if drift_hz_per_s:
            turns = turns + drift_hz_per_s * time_s**2 / 2
        return np.asarray(self.narrow * np.exp(-2j * np.pi * (turns % 1.0)), np.complex64)

    def around(self, hertz: float, half_hz: float, min_points: int) -> "Record":
        """A narrower slice around a frequency with at least min_points samples; this one where nothing is gained."""
        factor = decimation_for(self.rate_hz, half_hz)
        while factor > 1 and self.narrow.size // factor < min_points:
            factor //= 2
        if factor == 1:
            return self
        narrow = decimate(self.narrow, self.rate_hz, hertz, factor)
        rate_hz = self.rate_hz / factor
        return Record(narrow, rate_hz, min(CLEAN_FRACTION * rate_hz, self.clean_hz - abs(hertz)), self.record_s)

    def noise_density(self, still: Complex, hertz: float) -> float:
        """Noise density beside a line at zero, power per hertz: the median around it, as far as the slice is clean."""
        from scipy import fft

        some = still[: fft.prev_fast_len(still.size)]
        # Apply a window, so that a strong line's leakage does not count as noise.
        window = np.hanning(some.size).astype(np.float32)
        spectrum = fft.fft(some * (window * np.float32((8 / 3) ** 0.5)))
        bin_hz = self.rate_hz / spectrum.size
        limit = min(round(RING_HZ / bin_hz), MAX_RING_BINS, spectrum.size // 2 - 1)
        low = max(-limit, round((-self.clean_hz - hertz) / bin_hz))
        high = min(limit, round((self.clean_hz - hertz) / bin_hz))
        ring = np.arange(low, high + 1)
        own = min(OWN_BINS, spectrum.size // 16)
        values = spectrum[ring[np.abs(ring) > own]]
        # Exponential distribution: mean = median / ln 2.
        power = float(np.median(values.real**2 + values.imag**2) / np.log(2))
        return power / (spectrum.size * self.rate_hz)

    def blocks(self, hertz: float, drift_hz_per_s: float, density: float) -> Blocks:
        """Make blocks around a line, in units of a noise density."""
        still = self.still(hertz, drift_hz_per_s)
        factor = 1
        # Filter before averaging, so that hum or a neighbour does not alias onto the line.
        while still.size // (2 * factor) >= MIN_BLOCK_SAMPLES * MIN_BLOCKS:
            factor *= 2
        slow = decimate(still, self.rate_hz, 0.0, factor) if factor > 1 else still
        length = slow.size / MIN_BLOCKS
        edges = np.linspace(0.0, slow.size, MIN_BLOCKS + 1)
        # Average between fractional edges: every sample counts, and all blocks have the same length.
        sums = np.concatenate([[0.0], np.cumsum(slow, dtype=np.complex128)])
        whole = np.minimum(edges.astype(int), slow.size - 1)
        sums = sums[whole] + (edges - whole) * slow[whole]
        means = np.diff(sums) / length
        time_s = ((edges[:-1] + edges[1:]) / 2 - slow.size / 2) * factor / self.rate_hz
        block_s = length * factor / self.rate_hz
        return Blocks(means * np.sqrt(block_s / max(density, 1e-40)), time_s, block_s, self.record_s)
