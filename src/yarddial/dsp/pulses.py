"""Pulsing of the received power at twice the mains frequency, typical of mains-powered interference."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.spectra import hann_spectra
from yarddial.dsp.windows import windows

Complex = NDArray[np.complex64]
# Twice the mains frequencies of 50 and 60 Hz, and the rate of the spectra.
MAINS_HZ, OFTEN_HZ = (100.0, 120.0), 1_000.0
# Share of the span around its middle that is used.
USABLE_SHARE = 0.8


def mains_pulses(samples: Complex, rate_hz: float) -> tuple[float, float]:
    """Modulation depth of the level at 100 and at 120 Hz, as a share of its mean.

    samples : shape (n,); 0.3 s at least, shorter gives 0.

    It uses the mean over the bins of log spectra: noise and lines count alike, strong stations little.
    """
    size = 1 << max(int(np.log2(rate_hz / OFTEN_HZ)), 6)
    count = samples.size // size
    if count * size < 0.3 * rate_hz:
        return 0.0, 0.0
    spectra = hann_spectra(windows(samples, size, size, count))
    edge = int(size * (1 - USABLE_SHARE) / 2)
    level = np.log(np.maximum(spectra[:, edge : size - edge], 1e-24)).mean(axis=1, dtype=np.float64)
    level -= level.mean()
    times = np.arange(count) * size / rate_hz
    window = np.hanning(count)
    swings = [
        2 * abs(np.sum(level * window * np.exp(-2j * np.pi * hertz * times))) / window.sum() for hertz in MAINS_HZ
    ]
    return float(swings[0]), float(swings[1])
