"""Removal of the DC spike at the centre, with a slow running mean."""

from math import log10

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.slow_mean import SlowMean

Complex = NDArray[np.complex64]


class SpikeRemover:
    """Subtract the running mean from a stream, block after block.

    Parameters
    ----------
    rate_hz : float
        Complex sample rate.
    seconds_s : float
        Length of the mean. Signals further than `notch_hz` from the centre change by less than 0.3 dB.
    """

    def __init__(self, rate_hz: float, seconds_s: float = 0.5) -> None:
        self._mean = SlowMean(rate_hz, seconds_s)
        self.notch_hz = 2.0 / seconds_s
        self._before, self._after, self._count = 0j, 0j, 0

    def push(self, samples: Complex) -> Complex:
        """Process a block; the output has the same length."""
        cleaned: Complex = samples - self._mean.push(samples)
        if samples.size:
            # Accumulate, so that the estimate improves with time.
            self._before += complex(samples.sum(dtype=np.complex128))
            self._after += complex(cleaned.sum(dtype=np.complex128))
            self._count += samples.size
        return cleaned

    @property
    def before_dbfs(self) -> float:
        """Level of the spike before removal."""
        return 20 * log10(max(abs(self._before) / max(self._count, 1), 1e-10))

    @property
    def after_dbfs(self) -> float:
        """Level of the spike after removal."""
        return 20 * log10(max(abs(self._after) / max(self._count, 1), 1e-10))
