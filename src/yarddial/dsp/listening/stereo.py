"""Stereo decoder for wide FM: locks to the pilot and blends to mono as the pilot sinks into noise."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.phasor import phasor
from yarddial.dsp.slow_mean import SlowMean
from yarddial.yard.demodulation import stereo_share
from yarddial.yard.references import PILOT_HZ

SoundArray = NDArray[np.float32]
# Averaging time of the pilot's phase; a clock 100 ppm off rotates it by a twelfth of a turn meanwhile.
PILOT_CHECK_INTERVAL_S = 0.04
# Duration of the blend between mono and stereo.
BLENDS_S = 0.2
# A turn from one sample to the next is a mean over the step, sin(x)/x. With u = 1 - cos 2x, which three taps make,
# x/sin(x) = 1 + u/12 + 3u^2/160 to the fourth power of x.
SLOPE_COEFFICIENTS = (1 / 12, 3 / 160)
DELAY_TAPS = 2


class StereoDecoder:
    """Left and right from the multiplex of wide FM: sum, pilot, and the difference on twice the pilot.

    The subcarrier crosses zero upwards with the pilot [1]_. The pilot is followed by a slow mean of its phase, with
    the multiplex held back for as long; it is taken off once its subcarrier is made.

    References
    ----------
    .. [1] ITU-R BS.450, pilot-tone system.
    """

    def __init__(self, rate_hz: float) -> None:
        self._turns = PILOT_HZ / rate_hz
        self._mean = SlowMean(rate_hz, PILOT_CHECK_INTERVAL_S)
        self._late = self._mean.delay
        self._held = np.zeros(self._late + 2 * DELAY_TAPS, np.float32)
        self._index = 0
        self._blend = 0.0
        self._blends = 1 / (BLENDS_S * rate_hz)
        self.pilot = _Pilot(rate_hz)

    def push(self, multiplex: SoundArray) -> SoundArray:
        """Decode the multiplex to shape (n, 2), left and right, before the audio filter."""
        count = multiplex.size
        if not count:
            return np.empty((0, 2), np.float32)
        self.pilot.push(multiplex)
        joined = np.concatenate([self._held, multiplex])
        self._held = joined[count:].copy()
        near = phasor(-self._turns, self._index, count)
        self._index += count
        # Half the pilot's amplitude, its phase 90 degrees late.
        seen = self._mean.push((multiplex * near).astype(np.complex64))
        # The present output arrived `late` samples ago, plus the filter delay.
        now = near.conj() * np.exp(-2j * np.pi * self._turns * (self._late + DELAY_TAPS)).astype(np.complex64)
        wave = seen * now
        curved = _curved(joined[: count + 2 * DELAY_TAPS])
        steep = (
            joined[DELAY_TAPS : DELAY_TAPS + count]
            + SLOPE_COEFFICIENTS[0] * curved[1:-1]
            + SLOPE_COEFFICIENTS[1] * _curved(curved)
            - 2 * wave.real
        )
        size = np.maximum(np.abs(wave), 1e-9)
        subcarrier = -((wave / size) ** 2).imag
        difference = 2 * subcarrier * steep * self._blends_to(count)
        return np.stack([steep + difference, steep - difference], axis=1).astype(np.float32)

    def _blends_to(self, count: int) -> SoundArray:
        wanted = stereo_share(self.pilot.level_db)
        step = self._blends if wanted > self._blend else -self._blends
        ramp = self._blend + step * np.arange(1, count + 1)
        ramp = np.minimum(ramp, wanted) if step > 0 else np.maximum(ramp, wanted)
        self._blend = float(ramp[-1])
        return np.asarray(ramp, np.float32)


def _curved(values: SoundArray) -> SoundArray:
    """Half the negative second difference: 1 - cos of the phase step per sample."""
    return values[1:-1] - 0.5 * (values[:-2] + values[2:])


class _Pilot:
    """Level of the stereo pilot over the multiplex beside it, dB, from a short transform twice a second."""

    def __init__(self, rate_hz: float) -> None:
        self._size = 1 << int(np.ceil(np.log2(rate_hz * 0.05)))
        self._window = np.hanning(self._size).astype(np.float32)
        away_hz = np.abs(np.arange(self._size // 2 + 1) * rate_hz / self._size - PILOT_HZ)
        self._at = np.flatnonzero(away_hz < 150.0)
        self._beside = np.flatnonzero((away_hz > 300.0) & (away_hz < 1_500.0))
        self._rests = max(int(rate_hz * 0.5) - self._size, 0)
        self._skip = 0
        self._held = np.empty(0, np.float32)
        self.level_db = 0.0

    def push(self, multiplex: SoundArray) -> None:
        """Take output of the discriminator."""
        if self._skip:
            multiplex, self._skip = multiplex[self._skip :], max(self._skip - multiplex.size, 0)
        self._held = np.concatenate([self._held, multiplex]) if self._held.size else multiplex
        if self._held.size < self._size:
            return
        import scipy.fft

        power = np.abs(scipy.fft.rfft(self._held[: self._size] * self._window)) ** 2
        self._held, self._skip = np.empty(0, np.float32), self._rests
        beside = float(np.median(power[self._beside]))
        self.level_db = float(10 * np.log10(float(power[self._at].max()) / max(beside, 1e-30)))
