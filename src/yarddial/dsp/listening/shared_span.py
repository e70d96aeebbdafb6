"""Many channels from one span: one overlapping transform for all, and a small inverse one for each."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor
from yarddial.dsp.windows import windows

Complex = NDArray[np.complex64]
# FFT length, and the overlap on each side as a divisor of it.
FFT_POINTS, OVERLAP_DIVISOR = 1 << 16, 16
# Pieces per call, to spread the call's overhead: a tenth of a second at 2.4 MS/s.
BATCH_PIECES = 4
# Flat part of a channel's response as a share of its rate; nothing passes beyond half of it.
FLAT_SHARE = 0.36


class SharedSpan:
    """Cuts channels out of a stream of complex samples, block after block.

    Parameters
    ----------
    rate_hz : float
        Of the span.
    channels : sequence of (offset_hz, least_hz)
        Middle of each channel relative to the centre, and the rate it must have at least. What comes out has
        `out_rates_hz`, is flat to 0.36 of that to either side, and has its middle at zero to within `rests_hz`, as
        places are kept to whole bins and the remainder is turned away.
    """

    def __init__(self, rate_hz: float, channels: Sequence[tuple[float, float]]) -> None:
        from scipy.fft import next_fast_len

        self._bin_hz = rate_hz / FFT_POINTS
        self._edge = FFT_POINTS // OVERLAP_DIVISOR
        self._hop = FFT_POINTS - 2 * self._edge
        self._cuts: list[tuple[int, int, Complex, float]] = []
        self.out_rates_hz: list[float] = []
        for offset_hz, min_hz in channels:
            # A multiple of OVERLAP, so that hops are whole numbers of its samples.
            points = OVERLAP_DIVISOR * next_fast_len(max(int(np.ceil(min_hz / self._bin_hz / OVERLAP_DIVISOR)), 16))
            points = min(points, FFT_POINTS)
            middle = round(offset_hz / self._bin_hz)
            rest_hz = offset_hz - middle * self._bin_hz
            out_hz = rate_hz * points / FFT_POINTS
            self.out_rates_hz.append(out_hz)
            self._cuts.append((middle, points, _response(points), rest_hz / out_hz))
        self._held = np.zeros(self._edge, np.complex64)
        self._pieces = 0

    def push(self, samples: Complex) -> list[Complex]:
        """Take samples; return for each channel those that are complete."""
        import scipy.fft

        joined = np.concatenate([self._held, samples])
        rows = max((joined.size - 2 * self._edge) // self._hop, 0)
        if rows < BATCH_PIECES:
            self._held = joined
            return [np.empty(0, np.complex64) for _ in self._cuts]
        frames = windows(joined, FFT_POINTS, self._hop, rows)
        spectra = np.concatenate([scipy.fft.fft(frame)[None] for frame in frames])
        self._held = joined[rows * self._hop :].copy()
        out = [self._channel(spectra, *cut) for cut in self._cuts]
        self._pieces += rows
        return out

    def _channel(self, spectra: Complex, middle: int, points: int, response: Complex, rest: float) -> Complex:
        import scipy.fft

        half, rows = points // 2, spectra.shape[0]
        small = np.empty((rows, points), np.complex64)
        for part, first in ((slice(0, half), middle), (slice(half, points), middle - half)):
            begin = first % FFT_POINTS
            fits = min(half, FFT_POINTS - begin)
            small[:, part][:, :fits] = spectra[:, begin : begin + fits]
            small[:, part][:, fits:] = spectra[:, : half - fits]
        small *= response
        small = scipy.fft.ifft(small, axis=1, overwrite_x=True)
        edge, hop = self._edge * points // FFT_POINTS, self._hop * points // FFT_POINTS
        # Each piece starts `hop` samples after the last, which rotates a bin by middle x hop / SIZE.
        turns = (-middle * ((self._pieces + np.arange(rows)) * self._hop % FFT_POINTS) / FFT_POINTS) % 1.0
        exact = small[:, edge : edge + hop] * np.exp(2j * np.pi * turns).astype(np.complex64)[:, None]
        flat = np.asarray(exact.reshape(-1), np.complex64)
        if rest:
            flat = flat * phasor(-rest, self._pieces * hop, flat.size)
        return flat


def _response(points: int) -> Complex:
    """Flat response with cosine shoulders to half the rate, zero first; scaled for the shorter inverse transform."""
    away = np.abs(np.fft.fftfreq(points))
    shoulder = np.clip((0.5 - away) / (0.5 - FLAT_SHARE), 0.0, 1.0)
    return np.asarray(np.sin(shoulder * np.pi / 2) ** 2 * (points / FFT_POINTS), np.complex64)
