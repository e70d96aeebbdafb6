"""The survey of a span against plain NumPy, for bytes and for complex samples, in any pieces."""

from itertools import pairwise

import numpy as np
import pytest

from yarddial.dsp.sample_formats import as_complex
from yarddial.dsp.survey import BATCH_ROWS, FFT_POINTS, SpanSurveyor

SET = FFT_POINTS * BATCH_ROWS


def scene(sets: int = 2) -> np.ndarray:
    """Bytes: a tone 12 dB under full scale off the centre, noise, a spike, and a lame quadrature branch."""
    chance = np.random.default_rng(3)
    turns = 700.3 / FFT_POINTS * np.arange(sets * SET)
    wave = 0.25 * np.exp(2j * np.pi * (turns % 1.0)) + 0.02 * (
        chance.standard_normal(turns.size) + 1j * chance.standard_normal(turns.size)
    )
    parts = np.empty(2 * turns.size)
    parts[0::2], parts[1::2] = wave.real + 0.05, 0.9 * wave.imag
    return np.clip(np.floor(parts * 127.5) + 128, 0, 255).astype(np.uint8)


def plain(parts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Mean and peak by numpy in float64, one transform at a time."""
    values = (parts.astype(float) - 127.5) / 127.5
    samples = values[0::2] + 1j * values[1::2]
    window = np.hanning(FFT_POINTS + 1)[:-1]
    power = [
        np.abs(np.fft.fftshift(np.fft.fft(row * window / window.sum()))) ** 2 for row in samples.reshape(-1, FFT_POINTS)
    ]
    return np.mean(power, axis=0), np.max(power, axis=0)


def test_mean_and_peak_are_those_of_plain_transforms() -> None:
    parts = scene()
    mean, peak = plain(parts)
    surveyor = SpanSurveyor()
    cuts = [0, 10_002, 300_000, parts.size]
    for first, last in pairwise(cuts):
        surveyor.push(((parts[first:last].astype(np.float32) - 127.5) / 127.5).view(np.complex64))
    seen = surveyor.result()
    assert seen.count == 2 * SET
    np.testing.assert_allclose(10 ** (seen.mean_db / 10), mean, rtol=2e-3, atol=1e-9)
    np.testing.assert_allclose(10 ** (seen.peak_db / 10), peak, rtol=2e-3, atol=1e-9)


def test_spike_and_mirror_are_those_that_were_put_in() -> None:
    surveyor = SpanSurveyor()
    surveyor.push(as_complex(scene(), "cu8"))
    seen = surveyor.result()
    assert seen.spike_db == pytest.approx(20 * np.log10(0.05), abs=0.8)
    # Gain ratio 0.9: (1 + 0.9)^2 / (1 - 0.9)^2.
    assert seen.image_db == pytest.approx(20 * np.log10(1.9 / 0.1), abs=0.3)
    # A tone of 0.25, its branches 1 and 0.9, between two bins: at most 1.42 dB down on the nearer.
    assert seen.mean_db.max() == pytest.approx(20 * np.log10(0.25 * 0.95), abs=1.5)


def test_before_a_whole_set_there_is_silence() -> None:
    surveyor = SpanSurveyor()
    surveyor.push(as_complex(scene(1)[:1000], "cu8"))
    assert surveyor.result().count == 0
    assert surveyor.result().mean_db.max() < -190
