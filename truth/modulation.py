"""What stations put on a carrier: amplitude, frequency, keys; and what receivers do to it."""

import numpy as np
from numpy.typing import NDArray

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]
# Marks and spaces in dots, by the Paris standard: a word of fifty dots (ITU-R M.1677).
_MORSE = {"P": ".--.", "A": ".-", "R": ".-.", "I": "..", "S": "...", "T": "-", "E": ".", "N": "-.", "V": "...-"}


def speech_like(chance: np.random.Generator, count: int, rate_hz: float) -> Floats:
    """Something with the spectrum and the pauses of speech: noise of 300 to 2,700 Hz in syllables, unit peak."""
    spectrum = np.fft.rfft(chance.standard_normal(count))
    frequencies = np.fft.rfftfreq(count, 1 / rate_hz)
    # Long-term speech falls by some 9 dB an octave above 500 Hz (ITU-T P.50).
    weight = np.where(
        (frequencies > 300) & (frequencies < 2_700), np.minimum(1.0, (frequencies / 500 + 1e-9) ** -1.5), 0
    )
    wave = np.fft.irfft(spectrum * weight, count)
    syllables = np.repeat(chance.random(int(np.ceil(count / rate_hz * 4)) + 1) > 0.3, int(rate_hz / 4) + 1)[:count]
    wave = wave * syllables
    return np.asarray(wave / max(np.abs(wave).max(), 1e-12))


def keyed(count: int, rate_hz: float, words_per_minute: float, text: str = "PARIS TEST ") -> Floats:
    """The envelope of Morse, with edges of 5 ms."""
    dot = 1.2 / words_per_minute * rate_hz
    marks: list[tuple[int, float]] = []
    for letter in text:
        if letter == " ":
            marks.append((0, 4.0))
            continue
        for sign in _MORSE[letter]:
            marks += [(1, 1.0 if sign == "." else 3.0), (0, 1.0)]
        marks.append((0, 2.0))
    once = np.concatenate([np.full(round(length * dot), on, float) for on, length in marks])
    envelope = np.tile(once, int(np.ceil(count / once.size)) + 1)[:count]
    edge = np.hanning(max(int(5e-3 * rate_hz), 3))
    return np.convolve(envelope, edge / edge.sum(), "same")


def frequency_modulated(audio: Floats, rate_hz: float, deviation_hz: float) -> Floats:
    """Phase, radians, that an audio of unit peak adds."""
    return 2 * np.pi * deviation_hz * np.cumsum(audio) / rate_hz


def shift_keyed(chance: np.random.Generator, count: int, rate_hz: float, baud: float, shift_hz: float) -> Floats:
    """Phase of a carrier that jumps to and fro between two places, with no jump of phase."""
    bits = np.repeat(chance.integers(0, 2, int(np.ceil(count / rate_hz * baud)) + 1), int(np.ceil(rate_hz / baud)))[
        :count
    ]
    return 2 * np.pi * np.cumsum((bits - 0.5) * shift_hz) / rate_hz


def hum(count: int, rate_hz: float, mains_hz: float, am: float, pm_rad: float) -> Complexes:
    """What a supply's ripple does: amplitude and phase at once and twice the mains."""
    time_s = np.arange(count) / rate_hz
    ripple = np.sin(2 * np.pi * mains_hz * time_s) + 0.5 * np.sin(4 * np.pi * mains_hz * time_s + 1.0)
    return (1 + am * ripple) * np.exp(1j * pm_rad * ripple)


def quantised(wave: Complexes, bits: int) -> Complexes:
    """A converter of so many bits, full scale 1."""
    steps = 2 ** (bits - 1)
    parts = [
        np.clip(np.floor(half * steps) + 0.5, -steps + 0.5, steps - 0.5) / steps for half in (wave.real, wave.imag)
    ]
    return parts[0] + 1j * parts[1]


def limited(wave: Complexes, level: float, skew: float = 0.0) -> Complexes:
    """A limiter; with `skew` one half wave is limited sooner than the other."""
    soft = level * np.tanh(np.abs(wave) / level)
    limited_wave = soft * np.exp(1j * np.angle(wave))
    return limited_wave + skew * level * (np.abs(wave) > level)


def without(wave: Complexes, first: int, count: int) -> Complexes:
    """The samples with some of them lost, the rest moved up, and the length filled with what comes after."""
    return np.concatenate((wave[:first], wave[first + count :]))


def lopsided(audio: Floats, lean: float, clip: float = 1.0) -> Floats:
    """A deviator that gives one side more, and a limiter that clips that side only, at a share of the peak."""
    leant = audio + lean * np.abs(audio)
    return np.minimum(leant, clip)


def stereo_multiplex(left: Floats, right: Floats, rate_hz: float, pilot: float = 0.09, late_s: float = 0.0) -> Floats:
    """Sum, pilot and difference by ITU-R BS.450-4: the subcarrier crosses zero upwards with the pilot; unit peak."""
    phase = 2 * np.pi * 19_000.0 * (np.arange(left.size) / rate_hz - late_s)
    share = (1 - pilot) / 2
    return share * (left + right) + share * (left - right) * np.sin(2 * phase) + pilot * np.sin(phase)
