"""Detection of a stereo input with one channel a sample late, from mirrors that grow with frequency."""

import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
FFT_POINTS = 1024
# Share of the mirrors that a skew must explain beyond zero skew and the opposite one.
MIN_EXPLAINED_SHARE = 0.5
# Minimum correlation left by a whole sample's skew: it must dominate the decision.
MIN_CORRELATION = 0.02
# Ignore pairs of bins with a power ratio under three to one; the peak must have at least the weight of a line.
NOISE_POWER_LOG, MIN_WEIGHT = 0.5, 0.1
# Largest mirror that gain and phase imbalance can cause: 20 dB down.
WORST_BALANCE = 0.1


def shifted(samples: Complex, skew: int) -> Complex:
    """Undo a delay of Q by `skew` samples relative to I.

    skew : -1, 0 or 1; the result is one sample shorter unless it is 0.
    """
    if skew == 0:
        return samples
    i, q = (samples.real[:-1], samples.imag[1:]) if skew > 0 else (samples.real[1:], samples.imag[:-1])
    return (i + 1j * q).astype(np.complex64)


def measured_skew(samples: Complex) -> int | None:
    """By how many samples Q lags I: -1, 0 or 1; None where nothing stands on one side to tell it by.

    Notes
    -----
    With Q late by d samples x(f) = A s(f) + B s*(-f), A = (1 + e^-jp)/2, B = (1 - e^-jp)/2, p = 2 pi f d / f_s, so that
    E x(f) x(-f) = -j sin(p) (P(f) - P(-f)) / 2: nothing of noise that is the same on both sides. A plain difference of
    gain and phase between the sides adds c (P(f) + P(-f)) with one c for all f, which is fitted and taken off.
    """
    wide = samples.size // FFT_POINTS
    if wide < 16:
        return None
    window = np.hanning(FFT_POINTS).astype(np.float32)
    keep = np.r_[4 : FFT_POINTS // 2 - 4]
    shares: dict[int, NDArray[np.complexfloating]] = {}
    one_sided = np.zeros(keep.size)
    for skew in (-1, 0, 1):
        x = shifted(samples - samples.mean(), skew)
        frames = np.fft.fft(x[: (x.size // FFT_POINTS) * FFT_POINTS].reshape(-1, FFT_POINTS) * window, axis=1)
        both = np.mean(frames * np.roll(frames[:, ::-1], 1, axis=1), axis=0)
        power = np.mean(np.abs(frames) ** 2, axis=0)
        mirrored = np.roll(power[::-1], 1)
        # Normalise by the power of both sides, so that a strong station counts as one place.
        shares[skew] = (both / (power + mirrored))[keep]
        one_sided = np.maximum(one_sided, (np.abs(power - mirrored) / (power + mirrored))[keep])
    # Noise is nearly equal on both sides and carries no information.
    weight = np.maximum(one_sided - NOISE_POWER_LOG, 0.0) ** 2
    if weight.sum() < MIN_WEIGHT:
        return None
    weight /= weight.sum()
    rest: dict[int, float] = {}
    for skew, share in shares.items():
        constant = np.sum(weight * share)
        left = float(np.sum(weight * np.abs(share - constant) ** 2))
        # A single line separates skew from imbalance only by size: no receiver has so much imbalance.
        rest[skew] = left + max(abs(constant) - WORST_BALANCE, 0.0) ** 2
    best = min(rest, key=lambda skew: rest[skew])
    others = min(value for skew, value in rest.items() if skew != best)
    return best if rest[best] < MIN_EXPLAINED_SHARE * others and others > MIN_CORRELATION**2 else None
