"""Widths of signals whose widths are known from their own formulas; rows of their pictures are made here, by hand."""

import numpy as np
import pytest
from numpy.typing import NDArray

from yarddial.dsp.occupied_bandwidth import occupied_bandwidth

RATE_HZ, ROWS = 24_000.0, 360
ROW_HZ = RATE_HZ / ROWS


def picture(signal: NDArray[np.complex128], noise: float = 1e-4) -> NDArray[np.float32]:
    """Columns in dB by a Hann window of one row's width in time, low frequency first."""
    chance = np.random.default_rng(3)
    noisy = signal + noise * (chance.standard_normal(signal.size) + 1j * chance.standard_normal(signal.size))
    blocks = noisy[: signal.size // ROWS * ROWS].reshape(-1, ROWS) * np.hanning(ROWS)
    power = np.abs(np.fft.fftshift(np.fft.fft(blocks, axis=1), axes=1)) ** 2
    return (10 * np.log10(power)).astype(np.float32)


def seconds(count: float) -> NDArray[np.float64]:
    return np.arange(int(count * RATE_HZ)) / RATE_HZ


@pytest.mark.parametrize("width_hz", [1_000.0, 2_700.0, 6_000.0, 12_000.0])
def test_of_even_noise_99_of_100_parts_lie_within_99_of_100_of_its_width(width_hz: float) -> None:
    chance = np.random.default_rng(int(width_hz))
    count = seconds(20.0).size
    spectrum = np.zeros(count, complex)
    places = np.fft.fftfreq(count, 1 / RATE_HZ)
    inside = np.abs(places) < width_hz / 2
    spectrum[inside] = chance.standard_normal(inside.sum()) + 1j * chance.standard_normal(inside.sum())
    signal = np.fft.ifft(spectrum)
    found = occupied_bandwidth(picture(signal / np.abs(signal).std()), ROW_HZ)
    assert found is not None
    assert found.width_hz == pytest.approx(0.99 * width_hz, abs=2 * ROW_HZ)
    assert found.down_width_hz == pytest.approx(width_hz, abs=2.5 * ROW_HZ)


@pytest.mark.parametrize("tone_hz", [700.0, 2_000.0, 4_000.0])
def test_of_amplitude_modulation_it_is_twice_the_tone(tone_hz: float) -> None:
    time_s = seconds(10.0)
    found = occupied_bandwidth(picture((1 + np.cos(2 * np.pi * tone_hz * time_s)).astype(complex)), ROW_HZ)
    assert found is not None
    # Each sideband has a sixth of the power: the edges lie within it, half a percent from its outer side.
    assert found.width_hz == pytest.approx(2 * tone_hz, abs=4 * ROW_HZ)
    assert found.down_width_hz == pytest.approx(2 * tone_hz, abs=2.5 * ROW_HZ)
    assert found.low_hz == pytest.approx(-found.high_hz, abs=ROW_HZ)


@pytest.mark.parametrize(("product_db", "within"), [(-20.0, False), (-40.0, True)])
def test_splatter_counts_once_it_holds_half_a_percent(product_db: float, within: bool) -> None:
    """Two tones of equal power and one product beside them: p of 2 + p; beyond 0.5 % at 10 log(0.01) = -20 dB."""
    time_s = seconds(10.0)
    size = 10 ** ((product_db + 1.0) / 20)
    lines = [(700.0, 1.0), (1_900.0, 1.0), (4_300.0, size)]
    signal = sum(a * np.exp(2j * np.pi * hertz * time_s) for hertz, a in lines)
    found = occupied_bandwidth(picture(np.asarray(signal)), ROW_HZ)
    assert found is not None
    assert (found.high_hz < 2_300.0) == within
    assert found.low_hz == pytest.approx(700.0, abs=2 * ROW_HZ)


def test_noise_alone_has_no_width_and_a_weak_one_no_edge_at_26_db() -> None:
    time_s = seconds(10.0)
    assert occupied_bandwidth(picture(np.zeros(time_s.size, complex), 1.0), ROW_HZ) is None
    weak = occupied_bandwidth(picture(np.exp(2j * np.pi * 500.0 * time_s), 0.5), ROW_HZ)
    assert weak is not None
    assert weak.down_width_hz is None
    assert weak.low_hz == pytest.approx(500.0, abs=3 * ROW_HZ)
