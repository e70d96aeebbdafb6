"""Speech-like sound and Morse text as periodic tables."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

# Far above the content of speech, so that cubic interpolation leaves no visible error.
RATE_HZ, VOICE_LENGTH_S = 48_000.0, 8.0
VOICE_SAMPLES = int(RATE_HZ * VOICE_LENGTH_S)
_LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789/?"
_MARKS = (
    ".- -... -.-. -.. . ..-. --. .... .. .--- -.- .-.. -- -. --- .--. --.- .-. ... - ..- ...- .-- -..- -.-- --.. "
    "----- .---- ..--- ...-- ....- ..... -.... --... ---.. ----. -..-. ..--.."
)
_MORSE = dict(zip(_LETTERS, _MARKS.split(" "), strict=True))


@lru_cache(maxsize=16)
def speech(voice: int) -> NDArray[np.float32]:
    """Eight seconds within +-1 that close on themselves: formants under syllables, with pauses.

    Every tone fits the table a whole number of times, so that the table repeats without a seam.
    """
    chance = np.random.default_rng(voice)
    time_s = np.arange(VOICE_SAMPLES) / RATE_HZ
    tones = np.round(np.sort(chance.uniform(180, 2600, 9)) * VOICE_LENGTH_S) / VOICE_LENGTH_S
    sound = sum(
        chance.uniform(0.3, 1.0) * np.sin(2 * np.pi * tone * time_s + chance.uniform(0, 2 * np.pi)) for tone in tones
    )
    beat = np.round(3.2 * VOICE_LENGTH_S) / VOICE_LENGTH_S
    phrase = np.round(0.4 * VOICE_LENGTH_S) / VOICE_LENGTH_S
    rhythm = np.clip(np.sin(2 * np.pi * beat * time_s) + 0.4, 0, None) * np.clip(
        np.sin(2 * np.pi * phrase * time_s + chance.uniform(0, 6)) + 0.8, 0, None
    )
    shaped = sound * rhythm
    shaped -= shaped.mean()
    return np.asarray(shaped / np.abs(shaped).max(), np.float32)


@lru_cache(maxsize=16)
def speech_integral(voice: int) -> NDArray[np.float32]:
    """Integral of the speech over time, seconds; periodic, since speech has no mean."""
    summed = np.cumsum(speech(voice).astype(float)) / RATE_HZ
    return np.asarray(summed - summed.mean(), np.float32)


@lru_cache(maxsize=64)
def keyed_phase(bits: tuple[float, ...]) -> NDArray[np.float32]:
    """Running sum of bits with smooth transitions, in bits, 64 points a bit; periodic if the bits sum to 0."""
    points = 64
    hard = np.repeat(np.asarray(bits), points)
    window = np.hanning(points // 2 + 1)
    soft = np.convolve(np.concatenate([hard[-points:], hard, hard[:points]]), window / window.sum(), "same")
    summed = np.cumsum(soft[points:-points]) / points
    return np.asarray(summed - summed.mean(), np.float32)


@lru_cache(maxsize=16)
def keyed(text: str, words_per_minute: float = 16.0) -> tuple[NDArray[np.float32], float]:
    """Text in Morse as smooth keying between 0 and 1, and the table's rate; it repeats after a pause."""
    dot_s = 1.2 / words_per_minute
    dots: list[int] = []
    for letter in text.upper():
        if letter == " ":
            dots += [0] * 4
            continue
        for mark in _MORSE.get(letter, ""):
            dots += [1] * (3 if mark == "-" else 1) + [0]
        dots += [0] * 2
    dots += [0] * 14
    points = 192
    keying = np.repeat(np.asarray(dots, float), points)
    # Edges of 5 ms suppress key clicks.
    edge = max(int(0.005 / dot_s * points), 2)
    window = np.hanning(2 * edge + 1)
    soft = np.convolve(np.concatenate([keying[-edge:], keying, keying[:edge]]), window / window.sum(), "valid")
    return soft.astype(np.float32), points / dot_s
