"""From what is on the air to complex samples, fast: each signal is made at a low rate and laid into one large spectrum.

A segment of L samples is one inverse transform. Each signal's base band is sampled on a coarse grid over the segment,
tapered at its ends, transformed, and added to the large spectrum around its own bin; the middle seven eighths of the
result are exact, the tapered ends are thrown away, and the next segment begins where they ended.
"""

from collections.abc import Callable, Sequence
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.simulated.transmitters import Transmitter, fading, spun

Complex = NDArray[np.complex64]
# Bin width of the large transform: narrow signals then take a few hundred points a segment.
BIN_HZ = 36.6
# Longer transforms leave the processor's cache and cost three times as much per sample.
MIN_LENGTH, MAX_LENGTH, MIN_POINTS = 1 << 12, 1 << 16, 256
# Points of signals made together, and of one that is made alone.
BATCH_POINTS, SINGLE_POINTS = 1 << 15, 2048
# Anti-alias filter: flat to 0.41 of the rate, at its stop-band level beyond 0.59.
PASS_EDGE, STOP_EDGE, STOP_DB = 0.41, 0.59, -60.0


class TransmittedLine(msgspec.Struct, frozen=True):
    """One signal over a run of segments as the receiver meets it.

    make : its base band at given true times, an array in the shape of the times; each row of times is even and rising.
    needed_hz : the rate at which that must be sampled.
    turns : phase of its carrier against the centre at each segment's first good sample, and at the end of the last.
    sense : -1 where the spectrum arrives inverted.
    amplitude : full scale 1.
    fades : the sky-wave whose fading it has, if it has one.
    phase : in radians, for a base band of constant amplitude: it is quicker to turn than complex numbers.
    wave : signals of one name have the same base band at the same time; empty for a base band of its own.
    """

    make: Callable[[NDArray[np.float64]], Complex]
    needed_hz: float
    turns: NDArray[np.float64]
    sense: int
    amplitude: float
    fades: Transmitter | None = None
    phase: Callable[[NDArray[np.float64]], NDArray[np.float32]] | None = None
    wave: str = ""


class Synthesis:
    """Synthesis of segments at one sample rate. Eight at once cost a third of eight single ones."""

    def __init__(self, rate_hz: float) -> None:
        self.rate_hz = rate_hz
        self.length = min(max(1 << round(np.log2(rate_hz / BIN_HZ)), MIN_LENGTH), MAX_LENGTH)
        self.edge = self.length // 16
        self.hop = self.length - 2 * self.edge

    def run(self, lines: Sequence[TransmittedLine], true_s: NDArray[np.float64]) -> Complex:
        """Good samples of a run of segments, a row each; true_s holds the true times of their boundaries."""
        import scipy.fft

        count = true_s.size - 1
        spectra = np.zeros((count, self.length), np.complex64)
        by_size: dict[int, list[TransmittedLine]] = {}
        for line in lines:
            by_size.setdefault(self._points(line.needed_hz), []).append(line)
        for points, group in by_size.items():
            spans = np.diff(true_s) / self.hop
            time_s = true_s[:-1, None] + self._grid(points) * spans[:, None]
            # As many lines together as fit the processor's cache.
            together = max(BATCH_POINTS // time_s.size, 1)
            shared: dict[tuple[str, int], Complex] = {}
            for first in range(0, len(group), together):
                self._lay(spectra, group[first : first + together], time_s, shared)
        whole = np.asarray(scipy.fft.ifft(spectra, axis=1, overwrite_x=True), np.complex64)
        return whole[:, self.edge : self.edge + self.hop]

    def reaches(self, turns_per_sample: float, needed_hz: float) -> bool:
        """Return True when part of a signal passes the filter, aliased or not."""
        half = 0.5 * needed_hz / self.rate_hz
        return abs(turns_per_sample) - half < STOP_EDGE + 0.4

    def _points(self, needed_hz: float) -> int:
        return 1 << int(np.ceil(np.log2(max(needed_hz * self.length / self.rate_hz, MIN_POINTS))))

    def _lay(
        self,
        spectra: Complex,
        lines: Sequence[TransmittedLine],
        time_s: NDArray[np.float64],
        shared: dict[tuple[str, int], Complex],
    ) -> None:
        """Add signals to the large spectra of all segments.

        shared : base bands already made at these times, by wave and sense; filled in here.
        """
        import scipy.fft

        count, points = time_s.shape
        turns = np.stack([line.turns for line in lines])
        per_sample = np.diff(turns) / self.hop
        bins = np.round(per_sample * self.length)
        rest = per_sample - bins / self.length
        # The bin's phase counts from the segment's first sample, the signal's from its first good one.
        start = turns[:, :-1] - (bins / self.length + rest) * self.edge
        step = rest * (self.length / points)
        if points > SINGLE_POINTS:
            low = np.empty((len(lines), count, points), np.complex64)
            for i, line in enumerate(lines):
                _row_by_row(low[i], line, time_s, start[i], step[i])
        else:
            low = _turning(start.reshape(-1), step.reshape(-1), points).reshape(len(lines), count, points)
            for i, line in enumerate(lines):
                low[i] *= _base_band(line, time_s, shared)
        for i, line in enumerate(lines):
            if line.fades is not None:
                low[i] *= _faded(line.fades, time_s)
        size = np.array([line.amplitude * (self.length / points) for line in lines], np.float32)
        low *= _taper(points) * size[:, None, None]
        small = scipy.fft.fft(low, axis=2, overwrite_x=True)
        for i, middles in enumerate(bins.astype(int).tolist()):
            if min(middles) == max(middles):
                self._add(spectra, small[i], middles[0])
                continue
            for row, middle in enumerate(middles):
                self._add(spectra[row : row + 1], small[i, row : row + 1], middle)

    def _add(self, spectra: Complex, small: Complex, middle: int) -> None:
        """Add small spectra around their bin, with the filter's gain."""
        points = small.shape[1]
        half = points // 2
        if abs(middle) + half <= PASS_EDGE * self.length:
            for part, begin in ((small[:, :half], middle), (small[:, half:], middle - half)):
                first = begin % self.length
                fits = min(half, self.length - first)
                spectra[:, first : first + fits] += part[:, :fits]
                if fits < half:
                    spectra[:, : half - fits] += part[:, fits:]
            return
        around = np.concatenate([np.arange(half), np.arange(-half, 0)]) + middle
        # At most one turn around, so no index repeats.
        spectra[:, around % self.length] += small * filter_gain(around / self.length)

    def _grid(self, points: int) -> NDArray[np.float64]:
        return np.asarray(np.arange(points) * (self.length / points) - self.edge, np.float64)


def _base_band(line: TransmittedLine, time_s: NDArray[np.float64], shared: dict[tuple[str, int], Complex]) -> Complex:
    """A signal's base band, inverted where it arrives inverted; a shared wave is made once."""
    key = (line.wave, line.sense)
    if line.wave and key in shared:
        return shared[key]
    base = line.make(time_s)
    if line.sense < 0:
        base = base.conj()
    if line.wave:
        shared[key] = base
    return base


def _row_by_row(
    low: Complex,
    line: TransmittedLine,
    time_s: NDArray[np.float64],
    start: NDArray[np.float64],
    step: NDArray[np.float64],
) -> None:
    """Fill in a wide signal one segment at a time, since its arrays alone fill the cache."""
    for row in range(time_s.shape[0]):
        part = slice(row, row + 1)
        if line.phase is not None:
            low[part] = _spun(line.phase(time_s[part]), line.sense, start[part], step[part])
            continue
        base = line.make(time_s[part])
        low[part] = _turning(start[part], step[part], time_s.shape[1]) * (base if line.sense > 0 else base.conj())


def _faded(wave: Transmitter, time_s: NDArray[np.float64]) -> Complex:
    """Complex gain of a sky wave, from nine points over the segment: it changes little in a thirtieth of a second."""
    knots = np.linspace(time_s.min(), time_s.max(), 8 * time_s.shape[0] + 1)
    gain = fading(wave, knots)
    flat = time_s.reshape(-1)
    result = np.interp(flat, knots, gain.real) + 1j * np.interp(flat, knots, gain.imag)
    return np.asarray(result, np.complex64).reshape(time_s.shape)


def _turning(start: NDArray[np.float64], turns: NDArray[np.float64], points: int) -> Complex:
    """exp(2 pi i (start + turns n)), a row per signal, as products of a coarse and a fine table."""
    fine_size = 32
    coarse_turns = start[:, None] + (turns * fine_size)[:, None] * np.arange(points // fine_size)
    coarse = np.exp(2j * np.pi * (coarse_turns % 1.0)).astype(np.complex64)
    fine = np.exp(2j * np.pi * (turns[:, None] * np.arange(fine_size))).astype(np.complex64)
    rows: Complex = (coarse[:, :, None] * fine[:, None, :]).reshape(start.size, points)
    return rows


def _spun(angle: NDArray[np.float32], sense: int, start: NDArray[np.float64], turns: NDArray[np.float64]) -> Complex:
    """exp(i (sense angle + 2 pi (start + turns n))), a row per segment."""
    if sense < 0:
        angle = -angle
    ramp = np.arange(angle.shape[1], dtype=np.float32)
    angle += (2 * np.pi * turns).astype(np.float32)[:, None] * ramp + (2 * np.pi * (start % 1.0))[:, None]
    return spun(angle)


def filter_gain(turns: NDArray[np.float64]) -> NDArray[np.float32]:
    """Gain of the anti-alias filter at an offset from the centre, in units of the rate."""
    share = np.clip((np.abs(turns) - PASS_EDGE) / (STOP_EDGE - PASS_EDGE), 0.0, 1.0)
    stop_db = np.where(np.abs(turns) > STOP_EDGE + 0.35, -120.0, STOP_DB)
    result: NDArray[np.float32] = (10 ** (share**2 * stop_db / 20)).astype(np.float32)
    return result


@lru_cache(maxsize=16)
def _taper(points: int) -> NDArray[np.float32]:
    """One in the good part; at both ends the running sum of a Kaiser window, which leaves no line above -110 dB."""
    rise = points // 16
    window = np.kaiser(rise + 1, 14.0)
    ramp = np.cumsum(window)[:rise] / window.sum()
    taper = np.ones(points, np.float32)
    taper[:rise] = ramp
    taper[points - rise :] = ramp[::-1]
    return taper


class NoiseSource:
    """Gaussian noise from a table of 65 536 random complex values, much faster than new draws."""

    def __init__(self, seed: int) -> None:
        self._chance = np.random.Generator(np.random.SFC64(seed))
        parts = self._chance.standard_normal((2, 1 << 16))
        parts -= parts.mean(axis=1, keepdims=True)
        # Make the parts uncorrelated, or the noise would have a mirror.
        parts[1] -= parts[0] * (parts[0] @ parts[1]) / (parts[0] @ parts[0])
        parts /= parts.std(axis=1, keepdims=True)
        self._table = (parts[0] + 1j * parts[1]).astype(np.complex64)
        self._sized, self._sigma = self._table, 1.0

    def add_to(self, samples: Complex, sigma: float) -> None:
        """Add complex noise in place, `sigma` in each of the two parts."""
        if sigma != self._sigma:
            self._sized, self._sigma = self._table * np.float32(sigma), sigma
        index = np.frombuffer(self._chance.bytes(2 * samples.size), np.uint16).astype(np.intp)
        # No index is out of range; `clip` only skips the check.
        samples += self._sized.take(index, mode="clip")
