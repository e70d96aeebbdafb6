"""Blind I/Q balance: estimation of the mirror image from the signals on both sides of the centre."""

from math import log10

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.windows import windows

Complex = NDArray[np.complex64]
FFT_POINTS = 4096
# Use only pairs of bins whose powers differ by this much; symmetric signals carry no information.
DIFFERS_DB = 20.0
# Exclude this many bins around the centre spike and at the ends of the span.
CENTRE_BINS = 4
# Remove a mirror only when it stands this many sigma above its uncertainty.
MIN_MIRROR_SIGMAS = 3.0
# Half overlapping Hann spectra carry as much as this share of independent ones (Welch, IEEE Trans. AU-15, 1967).
INDEPENDENT_SHARE = 0.95


class Balance(msgspec.Struct, frozen=True):
    """Strength of the mirror: samples are x + mirror x*; subtracting it restores x.

    sigma : one-sigma uncertainty of each part of `mirror`.
    pairs : number of bin pairs that decided.
    """

    mirror: complex
    sigma: float
    pairs: int

    @property
    def is_sure(self) -> bool:
        """Return True when removal helps rather than harms."""
        return abs(self.mirror) > MIN_MIRROR_SIGMAS * self.sigma * 2**0.5

    @property
    def before_db(self) -> float:
        """Mirror rejection as received, dB."""
        return -20 * log10(max(abs(self.mirror), 1e-9))

    @property
    def after_db(self) -> float:
        """Mirror rejection after removal, dB, at one sigma."""
        return -20 * log10(max(self.sigma * 2**0.5, 1e-9)) if self.is_sure else self.before_db

    def take_out(self, samples: Complex) -> Complex:
        """Return the samples without the mirror; unchanged when the estimate is too uncertain."""
        if not self.is_sure:
            return samples
        cleaned = samples - np.complex64(self.mirror) * samples.conj()
        cleaned /= np.float32(1 - abs(self.mirror) ** 2)
        return cleaned


class BalanceEstimator:
    """Gathers what decides, block after block; asked at any time.

    With Y the spectrum of x + m x*, the mean of Y(f) Y(-f) is m (P(f) + P(-f)) plus what the two sides have in common
    by themselves, which is nothing for independent signals. Pairs are weighted by how well they tell: the variance of
    one is P(f) P(-f) / (P(f) + P(-f))^2 over the number of spectra.
    """

    def __init__(self) -> None:
        half = FFT_POINTS // 2
        self._product = np.zeros(half, np.complex128)
        self._upper, self._lower = np.zeros(half), np.zeros(half)
        self._count = 0
        self._window = np.hanning(FFT_POINTS + 1)[:-1].astype(np.float32)
        self._held = np.empty(0, np.complex64)

    @property
    def spectra(self) -> int:
        """Number of spectra gathered."""
        return self._count

    def push(self, samples: Complex) -> None:
        """Take samples and gather half-overlapping spectra."""
        import scipy.fft

        joined = np.concatenate([self._held, samples])
        step = FFT_POINTS // 2
        rows = max((joined.size - FFT_POINTS) // step + 1, 0)
        self._held = joined[rows * step :].copy()
        for first in range(0, rows, 64):
            count = min(64, rows - first)
            frames = windows(joined[first * step :], FFT_POINTS, step, count) * self._window
            spectra = scipy.fft.fft(frames, axis=1, overwrite_x=True)
            # Bin k pairs with -k; k = 0 pairs with itself and is excluded later.
            upper, lower = spectra[:, : FFT_POINTS // 2], spectra[:, -np.arange(FFT_POINTS // 2)]
            self._product += (upper * lower).sum(axis=0)
            self._upper += (upper.real**2 + upper.imag**2).sum(axis=0)
            self._lower += (lower.real**2 + lower.imag**2).sum(axis=0)
            self._count += count

    def estimate(self) -> Balance | None:
        """Estimate the mirror; None when no pair of bins differs enough.

        The mirror itself adds to the weak side, so the weights are recomputed without it until they settle.
        """
        if not self._count:
            return None
        mirror = 0j
        places = np.arange(FFT_POINTS // 2)
        decides = (places > CENTRE_BINS) & (places < 0.45 * FFT_POINTS)
        for _ in range(6):
            # Value of the sums with the mirror removed.
            turned = 2 * (np.conj(mirror) * self._product).real
            upper = np.maximum(self._upper - turned + abs(mirror) ** 2 * self._lower, 1e-30)
            lower = np.maximum(self._lower - turned + abs(mirror) ** 2 * self._upper, 1e-30)
            both = upper + lower
            left = self._product - mirror * (self._upper + self._lower) + mirror**2 * self._product.conj()
            ratio = upper / lower
            use = decides & (np.abs(np.log10(ratio)) >= DIFFERS_DB / 10)
            if not use.any():
                return None
            weight = (both**2 / (upper * lower))[use]
            step = complex((weight * left[use] / both[use]).sum() / weight.sum())
            mirror += step
        spectra = self._count * INDEPENDENT_SHARE
        sigma = float(np.sqrt(0.5 / (weight.sum() * spectra)))
        return Balance(mirror, sigma, int(use.sum()))
