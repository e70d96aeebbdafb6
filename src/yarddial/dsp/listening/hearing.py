"""Audio from one channel of a span: mix, filter, demodulate, level. Listen and its proofs run this chain."""

from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import Decimator
from yarddial.dsp.listening.channel_filter import ChannelFilter
from yarddial.dsp.listening.demodulators import Demodulator, Envelope, Frequency, Product, Synchronous
from yarddial.dsp.listening.gain_and_squelch import AutomaticGain, Deemphasis, NoiseReduction, Squelch
from yarddial.dsp.listening.resampling import Resampler
from yarddial.dsp.listening.stereo import StereoDecoder
from yarddial.yard.demodulation import DemodulationSettings
from yarddial.yard.errors import BadSamples
from yarddial.yard.references import PILOT_HZ

Complex = NDArray[np.complex64]
SoundArray = NDArray[np.float32]
SOUND_HZ = 48_000.0
# Peak deviation that gives full scale, and the highest audio frequency, in FM.
DEVIATION_HZ = {"nfm": 5_000.0, "wfm": 75_000.0}
VOICE_TOP_HZ, WIDE_TOP_HZ = 3_400.0, 15_000.0
# Minimum channel rate before demodulation: narrow modes, wide FM.
NARROW_HZ, WIDE_HZ = 48_000.0, 400_000.0
# Settling time of a new channel's filters, and the length of the cross-fade.
SETTLES_S, FADES_S = 0.03, 0.005


class HeardBlock(msgspec.Struct, frozen=True):
    """Audio, float32 at `Hearing.sound_hz`, shape (n,), in wide FM (n, 2): left, right.

    level_dbfs : level in the channel. pilot_db : level of the stereo pilot over the multiplex beside it, where it is
    measured.
    """

    sound: SoundArray
    level_dbfs: float
    is_open: bool
    pilot_db: float | None = None


class Hearing:
    """Demodulate one channel of a stream of complex samples.

    Parameters
    ----------
    rate_hz : float
        Sample rate of the span.
    offset_hz : float
        Dial relative to the span's centre.
    settings : DemodulationSettings
        Demodulation and its filter.

    Raises
    ------
    BadSamples
        The rate is too low for the demodulation.
    """

    def __init__(self, rate_hz: float, offset_hz: float, settings: DemodulationSettings) -> None:
        demodulation = settings.demodulation
        wide = demodulation == "wfm"
        min_hz = max(WIDE_HZ if wide else NARROW_HZ, 2.5 * max(abs(settings.low_hz), abs(settings.high_hz)))
        if rate_hz < (220e3 if wide else 8e3):
            raise BadSamples(f"{rate_hz / 1e3:g} kS/s is too slow to hear {demodulation.upper()}: choose a higher rate")
        self.settings = settings
        self._slice = Decimator(rate_hz, offset_hz, max(int(rate_hz / min_hz), 1))
        channel_hz = self._slice.out_rate_hz
        self._filter = ChannelFilter(channel_hz, settings.low_hz, settings.high_hz, _transition_hz(settings))
        self._demodulator = _demodulator(settings, channel_hz)
        # Cut wide FM's multiplex between the audio and the pilot; other modes bring no more than the channel.
        cut_hz = (WIDE_TOP_HZ + PILOT_HZ) / 2 if wide else 0.42 * min(channel_hz, SOUND_HZ)
        self._resamplers = [Resampler(channel_hz, SOUND_HZ, cut_hz) for _ in range(2 if wide else 1)]
        self.sound_hz = self._resamplers[0].out_rate_hz
        narrow_fm = demodulation == "nfm"
        self._top = ChannelFilter(self.sound_hz, -VOICE_TOP_HZ, VOICE_TOP_HZ, 500.0) if narrow_fm else None
        self._deemphasis = Deemphasis(self.sound_hz, settings.deemphasis_us)
        self._quiet = [NoiseReduction() for _ in self._resamplers] if settings.noise_reduction else []
        self._gain = AutomaticGain(self.sound_hz) if settings.gain_control else None
        self._squelch = Squelch(settings.squelch_dbfs)
        self._level_dbfs = -200.0
        self._stereo = StereoDecoder(channel_hz) if wide else None

    def push(self, samples: Complex) -> HeardBlock:
        """Take samples of the span; return the audio completed by them."""
        channel = self._filter.push(self._slice.push(samples))
        if channel.size:
            power = float(np.vdot(channel, channel).real) / channel.size
            self._level_dbfs = float(10 * np.log10(max(power, 1e-20)))
        sound = self._demodulator.push(channel)
        if self._stereo is not None:
            sound = self._stereo.push(sound)
        sound = _each(self._resamplers, sound)
        if self._top is not None:
            sound = np.ascontiguousarray(self._top.push(sound.astype(np.complex64)).real)
        sound = self._deemphasis.push(sound)
        if self._quiet:
            sound = _each(self._quiet, sound)
        if self._gain is not None:
            sound = self._gain.push(sound)
        sound = self._squelch.push(sound, self._level_dbfs)
        pilot_db = self._stereo.pilot.level_db if self._stereo is not None else None
        return HeardBlock(sound, self._level_dbfs, self._squelch.is_open, pilot_db)

    def take_over(self, former: "Hearing") -> None:
        """Start with the loudness of a former channel."""
        if self._gain is not None and former._gain is not None:
            self._gain.take_over(former._gain)
        self._squelch.is_open = former._squelch.is_open


class ContinuousHearing:
    """A channel that can change without a gap: the former one fades out once the new one has settled.

    rate_hz : sample rate of the span, which is fixed; another span needs a new instance.
    """

    def __init__(self, rate_hz: float, offset_hz: float, settings: DemodulationSettings) -> None:
        self._rate_hz = rate_hz
        self._now = Hearing(rate_hz, offset_hz, settings)
        self._next: Hearing | None = None
        self._came = np.empty(0, np.float32)

    @property
    def sound_hz(self) -> float:
        """Audio sample rate, hertz."""
        return self._now.sound_hz

    def change(self, offset_hz: float, settings: DemodulationSettings) -> None:
        """Change the channel. Raises BadSamples as `Hearing` does."""
        self._next = Hearing(self._rate_hz, offset_hz, settings)
        self._next.take_over(self._now)
        self._came = np.empty(0, np.float32)

    def push(self, samples: Complex) -> HeardBlock:
        """Take samples of the span; return the audio completed by them."""
        heard = self._now.push(samples)
        if self._next is None:
            return heard
        new = self._next.push(samples)
        self._came = np.concatenate([self._came, new.sound]) if self._came.size else new.sound
        settles, fades = int(SETTLES_S * self._next.sound_hz), int(FADES_S * self._next.sound_hz)
        if len(self._came) < settles + fades or len(heard.sound) < fades:
            return heard
        old, fresh = heard.sound, self._came[settles:]
        if old.ndim != fresh.ndim:
            # Where only one of them is stereo, put the other on both sides.
            old, fresh = (part if part.ndim > 1 else np.stack([part, part], axis=1) for part in (old, fresh))
        share = (0.5 - 0.5 * np.cos(np.pi * (np.arange(fades) + 0.5) / fades)).astype(np.float32)
        share = share.reshape((-1,) + (1,) * (old.ndim - 1))
        over = old[-fades:] * (1 - share) + fresh[:fades] * share
        sound = np.concatenate([old[:-fades], over, fresh[fades:]])
        self._now, self._next = self._next, None
        return HeardBlock(sound, new.level_dbfs, new.is_open, new.pilot_db)


def _each(stages: Sequence[Resampler | NoiseReduction], sound: SoundArray) -> SoundArray:
    """Pass each audio channel through its own stage."""
    if sound.ndim == 1:
        return stages[0].push(sound)
    return np.stack([stage.push(np.ascontiguousarray(sound[:, k])) for k, stage in enumerate(stages)], axis=1)


def _transition_hz(settings: DemodulationSettings) -> float:
    """Transition width of the filter: a twelfth of the channel within limits; a fifth for CW, to keep the delay
    short.
    """
    if settings.demodulation == "cw":
        return max(settings.width_hz / 5, 60.0)
    return min(max(settings.width_hz / 12, 60.0), 16_000.0)


def _demodulator(settings: DemodulationSettings, rate_hz: float) -> Demodulator:
    if settings.demodulation == "am":
        return Envelope(rate_hz)
    if settings.demodulation == "sam":
        return Synchronous(rate_hz)
    if settings.demodulation in DEVIATION_HZ:
        return Frequency(rate_hz, DEVIATION_HZ[settings.demodulation])
    return Product(rate_hz, settings.pitch_hz if settings.demodulation == "cw" else 0.0)
