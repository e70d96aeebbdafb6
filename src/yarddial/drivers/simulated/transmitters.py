"""Transmitters: base-band signals as plain functions of true time, without state."""

import zlib
from collections.abc import Callable
from functools import lru_cache, partial
from math import pi

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.simulated import programmes, voices
from yarddial.drivers.simulated.tables import look_up, tones
from yarddial.drivers.simulated.voices import keyed, keyed_phase, speech, speech_integral

Seconds = NDArray[np.float64]
Baseband = NDArray[np.complex64]
VOICE_COUNT = 4


class Transmitter(msgspec.Struct, frozen=True):
    """A transmitter as it arrives at an antenna.

    frequency_hz : true carrier frequency; a deliberate offset is already in it.
    level_dbm : carrier power delivered by the antenna; of keyed and suppressed-carrier kinds, at the peaks.
    wander_hz : amplitude of the slow Doppler of a sky-wave.
    fading_hz : Doppler spread of a sky-wave; 0 for a steady level.
    text : what a CW or data station sends.
    hours : true time of day, from and to, in which it is heard; all day when they are alike.
    """

    name: str
    frequency_hz: float
    level_dbm: float
    kind: str
    antenna: str
    wander_hz: float = 0.0
    fading_hz: float = 0.0
    text: str = ""
    hours: tuple[float, float] = (0.0, 0.0)

    def is_heard(self, hour: float) -> bool:
        """Return True at hours of the day when it is heard."""
        begin, end = self.hours
        if begin == end:
            return True
        return begin <= hour < end if begin < end else hour >= begin or hour < end


def modulation(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """Modulation around the carrier at true times, peak amplitude about 1; without Doppler and fading."""
    return _KINDS[transmitter.kind](transmitter, time_s)


def phase(transmitter: Transmitter) -> Callable[[Seconds], NDArray[np.float32]] | None:
    """Phase function in radians of constant-envelope kinds; None for all others."""
    maker = _PHASES.get(transmitter.kind)
    return None if maker is None else partial(maker, transmitter)


def shared_wave(kind: str) -> str:
    """The kind, when its base band depends on time alone and not on the station; empty for all others."""
    return kind if kind in _SHARED_KINDS else ""


def needed_hz(kind: str) -> float:
    """Sample rate that the base band needs: its width over 0.57."""
    return _NEEDED_HZ[kind]


def wander_turns(transmitter: Transmitter, time_s: Seconds) -> Seconds:
    """Phase of a sky wave's slow Doppler, in turns: three slow sines."""
    if not transmitter.wander_hz:
        return np.zeros(time_s.shape)
    periods, phases = _wander_terms(transmitter.name)
    angle = 2 * pi * time_s[:, None] / periods + phases
    result: Seconds = transmitter.wander_hz * (np.sin(angle) * periods).mean(axis=1) / (2 * pi)
    return result


def wander_hz(transmitter: Transmitter, time_s: Seconds) -> Seconds:
    """Doppler of a sky wave at given times, hertz."""
    periods, phases = _wander_terms(transmitter.name)
    angle = 2 * pi * time_s[:, None] / periods + phases
    result: Seconds = transmitter.wander_hz * np.cos(angle).mean(axis=1)
    return result


def fading(transmitter: Transmitter, time_s: Seconds) -> NDArray[np.complex128]:
    """Complex gain of a fading sky wave, mean power 1: twelve paths with Gaussian Doppler shifts."""
    chance = _chance(transmitter.name + "*")
    shifts_hz = chance.normal(0, transmitter.fading_hz / 2, 12)
    phases = chance.uniform(0, 1, 12)
    turns = time_s[:, None] * shifts_hz + phases
    result: NDArray[np.complex128] = np.exp(2j * pi * turns).sum(axis=1) / np.sqrt(12.0)
    return result


@lru_cache(maxsize=512)
def _wander_terms(name: str) -> tuple[Seconds, Seconds]:
    chance = _chance(name)
    return np.array([47.0, 113.0, 290.0]) * chance.uniform(0.8, 1.2, 3), chance.uniform(0, 2 * pi, 3)


def _voice(transmitter: Transmitter) -> tuple[int, float]:
    """A station's voice, and its start within the eight seconds."""
    mark = zlib.crc32(transmitter.name.encode())
    return mark % VOICE_COUNT, (mark % 8000) / 1000.0


def _chance(name: str) -> np.random.Generator:
    return np.random.default_rng(zlib.crc32(name.encode()))


def _carrier(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    return np.ones(time_s.shape, np.complex64)


def _amplitude(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    voice, start = _voice(transmitter)
    return (1 + np.float32(0.6) * look_up(speech(voice), time_s + start, voices.RATE_HZ)).astype(np.complex64)


def _ticks(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """Time signal: an 800 Hz tick of 40 ms each second, a long one on the minute."""
    second = time_s % 1.0
    length = np.where(time_s % 60.0 < 1.0, 0.4, 0.04)
    if second.min() > 0.45:
        return np.ones(time_s.shape, np.complex64)
    on = _eased(second / 0.004) * _eased((length - second) / 0.004)
    return (1 + 0.7 * np.sin(2 * pi * 800 * second) * on).astype(np.complex64)


def _steady_tone(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """AM at 60 % with a 1 kHz tone and nothing else."""
    return (1 + 0.6 * np.sin(2 * pi * ((1_000.0 * time_s) % 1.0))).astype(np.complex64)


def _narrow_fm(transmitter: Transmitter, time_s: Seconds) -> NDArray[np.float32]:
    """Voice with 2.5 kHz peak deviation."""
    voice, start = _voice(transmitter)
    angle: NDArray[np.float32] = look_up(speech_integral(voice), time_s + start, voices.RATE_HZ)
    angle *= np.float32(2 * pi * 2500.0)
    return angle


def _wide_fm(transmitter: Transmitter, time_s: Seconds) -> NDArray[np.float32]:
    """Stereo programme with pilot and data, from its table."""
    voice, start = _voice(transmitter)
    table = programmes.programme(voice % programmes.PROGRAMME_COUNT)
    angle: NDArray[np.float32] = look_up(table, time_s + start, programmes.RATE_HZ)
    return angle


def _single_sideband(sign: float) -> Callable[[Transmitter, Seconds], Baseband]:
    """Speech on one side of the suppressed carrier: tones of one sense under a rhythm slow enough to stay there."""

    def signal(transmitter: Transmitter, time_s: Seconds) -> Baseband:
        hertz, turns, sizes = _sideband_tones(transmitter.name)
        sound = np.tensordot(sizes, tones(time_s, sign * hertz, turns), 1)
        rhythm = 0.5 + 0.5 * np.sin(2 * pi * 2.7 * time_s) * np.sin(2 * pi * 0.37 * time_s + 1)
        return np.asarray(sound * rhythm, np.complex64)

    return signal


@lru_cache(maxsize=512)
def _sideband_tones(name: str) -> tuple[Seconds, Seconds, NDArray[np.float32]]:
    """Frequencies, phases and amplitudes of a voice's tones; at most a third each."""
    chance = _chance(name)
    hertz = np.sort(chance.uniform(350, 2500, 6))
    return hertz, chance.uniform(0, 1, 6), (chance.uniform(0.3, 1.0, 6) / 3).astype(np.float32)


# A transmitter test: two tones, and its amplifier's products, dB below each tone.
_TEST_TONES_HZ, _TEST_PRODUCTS_DB = (
    (700.0, 1900.0),
    ((-500.0, -32.0), (3100.0, -32.0), (-1700.0, -44.0), (4300.0, -44.0)),
)


def _test_tones(sign: float) -> Callable[[Transmitter, Seconds], Baseband]:
    """Two tones on one side of the suppressed carrier, with third- and fifth-order products."""

    def signal(transmitter: Transmitter, time_s: Seconds) -> Baseband:
        lines = [(hertz, 0.5) for hertz in _TEST_TONES_HZ] + [
            (hz, 0.5 * 10 ** (db / 20)) for hz, db in _TEST_PRODUCTS_DB
        ]
        wave = sum(size * np.exp(2j * pi * ((sign * hertz * time_s) % 1.0)) for hertz, size in lines)
        return np.asarray(wave, np.complex64)

    return signal


def _keyed_carrier(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    table, rate_hz = keyed(transmitter.text or "TEST DE QUILLET LANE")
    return look_up(table, time_s, rate_hz).astype(np.complex64)


def _phase_keyed(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """Narrow data: up to 31.25 phase reversals a second, with the level reduced at each."""
    place = time_s * 31.25
    bit = np.floor(place).astype(np.int64)
    bits = _bits(transmitter.name)
    now, following, share = bits[bit % 104], bits[(bit + 1) % 104], place - bit
    bend = 0.5 - 0.5 * np.cos(pi * share)
    return (now * (1 - bend) + following * bend).astype(np.complex64)


def _frequency_keyed(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """Two tones 170 Hz apart at 45.45 baud; the phase is the running sum of the smoothed bits."""
    summed = look_up(keyed_phase(tuple(_bits(transmitter.name).tolist())), time_s, 64 * 45.45)
    return spun(summed * np.float32(2 * pi * 85.0 / 45.45))


def _pulses(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    """Pager: bursts of two-level frequency keying, 512 baud, half of every four seconds."""
    summed = look_up(keyed_phase(tuple(_bits(transmitter.name).tolist())), time_s, 64 * 512.0)
    place = time_s % 4.0
    on = _eased((place - 0.1) / 0.005) * _eased((2.0 - place) / 0.005)
    return on.astype(np.float32) * spun(summed * np.float32(2 * pi * 4500.0 / 512.0))


def _buzz(transmitter: Transmitter, time_s: Seconds) -> NDArray[np.float32]:
    """Line of a switching supply: frequency-modulated by its load, 300 Hz to either side, 37 times a second."""
    turns = ((37.0 * time_s) % 1.0).astype(np.float32)
    angle: NDArray[np.float32] = np.float32(8.0) * np.sin(np.float32(2 * pi) * turns)
    return angle


def _eased(share: Seconds) -> Seconds:
    """Smooth step from 0 to 1 with two continuous derivatives."""
    x = np.clip(share, 0.0, 1.0)
    result: Seconds = x * x * x * (x * (6 * x - 15) + 10)
    return result


@lru_cache(maxsize=512)
def _bits(name: str) -> NDArray[np.float32]:
    """104 balanced random bits as -1 and +1."""
    values = np.repeat([-1.0, 1.0], 52)
    _chance(name).shuffle(values)
    return values.astype(np.float32)


def spun(angle: NDArray[np.float32]) -> Baseband:
    """Complex exponential exp(i angle) in single precision."""
    result = np.empty(angle.shape, np.complex64)
    result.real = np.cos(angle)
    result.imag = np.sin(angle)
    return result


def _of_phase(transmitter: Transmitter, time_s: Seconds) -> Baseband:
    return spun(_PHASES[transmitter.kind](transmitter, time_s))


_PHASES: dict[str, Callable[[Transmitter, Seconds], NDArray[np.float32]]] = {
    "nfm": _narrow_fm,
    "wfm": _wide_fm,
    "buzz": _buzz,
}
_KINDS: dict[str, Callable[[Transmitter, Seconds], Baseband]] = {
    "carrier": _carrier,
    "am": _amplitude,
    "ticks": _ticks,
    "tone": _steady_tone,
    "nfm": _of_phase,
    "wfm": _of_phase,
    "usb": _single_sideband(+1.0),
    "lsb": _single_sideband(-1.0),
    "two tones": _test_tones(+1.0),
    "two tones below": _test_tones(-1.0),
    "cw": _keyed_carrier,
    "psk": _phase_keyed,
    "fsk": _frequency_keyed,
    "pager": _pulses,
    "buzz": _of_phase,
}
KINDS = tuple(_KINDS)
_SHARED_KINDS = frozenset({"carrier", "ticks", "tone", "two tones", "two tones below", "buzz"})
_NEEDED_HZ = {
    "carrier": 4e3, "am": 12e3, "ticks": 12e3, "tone": 12e3, "nfm": 30e3, "wfm": 270e3, "usb": 12e3, "lsb": 12e3,
    "two tones": 24e3, "two tones below": 24e3, "cw": 8e3, "psk": 4e3, "fsk": 8e3, "pager": 60e3, "buzz": 8e3,
}  # fmt: skip
