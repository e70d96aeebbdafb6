"""Slices cut from a wide stream, and long transforms."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import fft

from yarddial.dsp.decimation import CLEAN_FRACTION, OUTPUTS_A_ROW, Decimator, decimate, decimation_for
from yarddial.dsp.spectra import hann_spectra, long_transform

CHANCE = np.random.default_rng(1)
STREAM = (CHANCE.standard_normal(2 * 40_000) * 0.1).astype(np.float32).view(np.complex64)


@given(st.lists(st.integers(1, 9_000), min_size=1, max_size=8), st.sampled_from([1, 2, 3, 16, 17, 64]))
def test_pieces_give_the_same_as_the_whole(cuts: list[int], factor: int) -> None:
    pieces = Decimator(48_000.0, 1234.5, factor)
    edges = np.cumsum([0, *cuts])
    parts = [pieces.push(STREAM[a:b]) for a, b in pairwise(edges)]
    got = np.concatenate(parts)
    whole = decimate(STREAM[: edges[-1]], 48_000.0, 1234.5, factor)
    # A stream keeps back what one row of several outputs has not filled yet.
    assert 0 <= whole.size - got.size < 2 * OUTPUTS_A_ROW
    np.testing.assert_allclose(got, whole[: got.size], atol=2e-6)


@pytest.mark.parametrize("factor", [4, 32, 128])
def test_the_clean_part_is_flat_and_what_would_alias_is_held_down(factor: int) -> None:
    rate, count = 1_000_000.0, 200_000
    out_rate = rate / factor
    time = np.arange(count) / rate
    for share in (-CLEAN_FRACTION, 0.05, CLEAN_FRACTION):
        inside = np.exp(2j * np.pi * share * out_rate * time).astype(np.complex64)
        assert np.abs(decimate(inside, rate, 0.0, factor)).mean() == pytest.approx(1.0, abs=1e-3)
        alias = np.exp(2j * np.pi * (1 + share) * out_rate * time).astype(np.complex64)
        assert np.abs(decimate(alias, rate, 0.0, factor)).max() < 10 ** ((-66 if factor == 4 else -74) / 20)


def test_mixing_brings_the_offset_to_zero() -> None:
    time = np.arange(100_000) / 1e6
    shifted = decimate(np.exp(2j * np.pi * 123_456.0 * time).astype(np.complex64), 1e6, 123_456.0, 16)
    np.testing.assert_allclose(np.angle(shifted * np.conj(shifted[0])), 0.0, atol=1e-3)


@given(st.floats(1e4, 1e7), st.floats(1.0, 1e5))
def test_the_decimation_chosen_holds_the_slice(rate_hz: float, half_width_hz: float) -> None:
    factor = decimation_for(rate_hz, half_width_hz)
    assert factor == 1 or rate_hz / factor * CLEAN_FRACTION >= half_width_hz


@pytest.mark.parametrize("count", [1, 1000, 48_000, 400_007])
def test_a_long_transform_leaves_little_out(count: int) -> None:
    chance = np.random.default_rng(count)
    samples = chance.standard_normal(2 * count).astype(np.float32).view(np.complex64)
    got = long_transform(samples)
    assert 0.95 * count <= got.size <= count
    np.testing.assert_allclose(got, fft.fft(samples[: got.size]), atol=2e-3 * count**0.5)


def test_a_full_scale_tone_on_a_bin_reads_one() -> None:
    size = 256
    blocks = np.exp(2j * np.pi * 10 * np.arange(size) / size)[None, :].astype(np.complex64)
    spectra = hann_spectra(blocks)
    assert spectra.argmax() == size // 2 + 10
    assert spectra.max() == pytest.approx(1.0, rel=1e-5)
