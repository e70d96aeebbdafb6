"""A channel at the lowest rate that holds it, for narrow links, and the way back to a rate for listening."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import Decimator
from yarddial.dsp.listening.channel_filter import ChannelFilter

Complex = NDArray[np.complex64]
# Rate before thinning, as in `hearing`; width of an edge as a share of the channel, and its minimum.
BETWEEN_HZ, EDGE_SHARE, MIN_EDGE_HZ = 48_000.0, 1 / 12, 60.0
# Taps of the interpolator for each input sample.
TAPS_A_SAMPLE = 24


class ThinChannel:
    """Reduce a channel to the part between its two edges.

    rate_hz : of the output, whose zero is middle_hz from the dial. factor : decimation.
    """

    def __init__(self, span_hz: float, offset_hz: float, low_hz: float, high_hz: float) -> None:
        width_hz = high_hz - low_hz
        between_hz = max(BETWEEN_HZ, 2.5 * max(abs(low_hz), abs(high_hz)))
        self._slice = Decimator(span_hz, offset_hz, max(int(span_hz / between_hz), 1))
        channel_hz = self._slice.out_rate_hz
        edge_hz = max(width_hz * EDGE_SHARE, MIN_EDGE_HZ)
        self._filter = ChannelFilter(channel_hz, low_hz - edge_hz / 2, high_hz + edge_hz / 2, edge_hz)
        self.factor = max(int(channel_hz / (width_hz + 2.5 * edge_hz)), 1)
        self.rate_hz = channel_hz / self.factor
        self.middle_hz = (low_hz + high_hz) / 2
        self._turns = -self.middle_hz / channel_hz
        self._count = 0

    def push(self, samples: Complex) -> Complex:
        """Take samples of the span; return those of the channel that are complete."""
        channel = self._filter.push(self._slice.push(samples))
        if not channel.size:
            return channel
        index = np.arange(self._count, self._count + channel.size)
        turned = channel * np.exp(2j * np.pi * ((self._turns * index) % 1.0)).astype(np.complex64)
        first = -self._count % self.factor
        self._count += channel.size
        return np.asarray(turned[first :: self.factor], np.complex64)


class FilledChannel:
    """Restore a thin channel to `factor` times its rate, with the dial at zero again."""

    def __init__(self, rate_hz: float, middle_hz: float, factor: int) -> None:
        self._factor = factor
        self.rate_hz = rate_hz * factor
        count = TAPS_A_SAMPLE * factor
        n = np.arange(count) - (count - 1) / 2
        self._taps = (np.sinc(n / factor) * np.kaiser(count, 7.0)).astype(np.float32)
        self._held = np.zeros(TAPS_A_SAMPLE - 1, np.complex64)
        self._turns = middle_hz / self.rate_hz
        self._count = 0

    def push(self, samples: Complex) -> Complex:
        """Return `factor` samples for each input sample."""
        from scipy.signal import upfirdn

        joined = np.concatenate([self._held, samples])
        self._held = joined[-(TAPS_A_SAMPLE - 1) :]
        filled = upfirdn(self._taps, joined, self._factor)
        first = (TAPS_A_SAMPLE - 1) * self._factor
        channel = filled[first : first + samples.size * self._factor]
        index = np.arange(self._count, self._count + channel.size)
        self._count += channel.size
        return np.asarray(channel * np.exp(2j * np.pi * ((self._turns * index) % 1.0)), np.complex64)
