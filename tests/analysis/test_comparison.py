"""A difference in decibels: against known ones, under fading made here."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.comparison.difference import Difference, difference
from yarddial.yard.errors import BadSamples


def fading(chance: np.random.Generator, count: int, correlation: float) -> np.ndarray:
    """Powers of a Rayleigh channel whose samples go with one another by so much: a first-order process."""
    drive = chance.standard_normal((2, count)) / np.sqrt(2)
    wave = np.empty(count, complex)
    wave[0] = complex(*drive[:, 0])
    for i in range(1, count):
        wave[i] = correlation * wave[i - 1] + np.sqrt(1 - correlation**2) * complex(*drive[:, i])
    return np.abs(wave) ** 2


def in_turn(seed: int, true_db: float, correlation: float, pairs: int) -> tuple[list[float], list[float]]:
    chance = np.random.default_rng(seed)
    power = fading(chance, 2 * pairs, correlation).reshape(pairs, 2)
    order = chance.integers(0, 2, pairs)
    first = power[np.arange(pairs), order]
    second = power[np.arange(pairs), 1 - order] * 10 ** (true_db / 10)
    return first.tolist(), second.tolist()


@pytest.mark.parametrize("correlation", [0.0, 0.9, 0.995])
def test_the_stated_range_holds_the_truth_nineteen_times_in_twenty(correlation: float) -> None:
    found = [difference(*in_turn(seed, 3.0, correlation, 24)) for seed in range(200)]
    holds = sum(one.low_db <= 3.0 <= one.high_db for one in found)
    # 190 of 200 is the promise; by chance alone it would miss that by six at most, once in 40.
    assert holds >= 184
    # The likeliest estimate from 24 pairs of Rayleigh fades errs by 1.53 dB; the mean of 200 by a fourteenth of that.
    assert abs(float(np.mean([one.db for one in found])) - 3.0) < 4 * 1.53 / 200**0.5
    # Slow fading is the same for both of a pair: it costs nothing.
    if correlation > 0.99:
        assert float(np.median([half_db(one) for one in found])) < 1.0


@given(st.floats(-30, 30), st.floats(0.1, 10))
def test_steady_powers_give_their_ratio_whatever_their_level(true_db: float, level: float) -> None:
    # Each pair is a measurement of its own, by a part in ten million.
    levels = [level * (1 + 1e-7 * number) for number in range(8)]
    found = difference(levels, [power * 10 ** (true_db / 10) for power in levels])
    assert found.db == pytest.approx(true_db, abs=2e-4)
    assert half_db(found) < 1e-3
    assert found.is_sure == (abs(true_db) > 5e-4) or abs(true_db) < 1e-3


def half_db(found: Difference) -> float:
    return (found.high_db - found.low_db) / 2


def test_a_fade_into_the_noise_carries_nothing_away_and_exchanging_both_turns_the_sign() -> None:
    first, second = [1.0, 1.1, 0.9, 1.01, 1.05, 0.95, 0.99, -1e-3], [2.0, 2.1, 1.9, 2.0, 2.0, 2.0, 2.0, 1.0]
    one, other = difference(first, second), difference(second, first)
    assert one.db == pytest.approx(-other.db, abs=1e-3)
    assert (one.low_db, one.high_db) == (
        pytest.approx(-other.high_db, abs=1e-3),
        pytest.approx(-other.low_db, abs=1e-3),
    )
    # Seven pairs say 3 dB; the eighth alone says nothing finite.
    assert 2.5 < one.db < 6.0
    with pytest.raises(BadSamples, match="in turn"):
        difference(first, second[:-1])
    with pytest.raises(BadSamples, match="6 or more"):
        difference(first[:5], second[:5])


def test_two_that_fade_each_by_itself_and_slowly_are_not_settled() -> None:
    """Over the time of twenty pairs each goes through hardly a fade: no range can be relied on, and that is said."""
    settled = {"each its own": 0, "together": 0}
    for seed in range(40):
        chance = np.random.default_rng(seed)
        first, second = (fading(chance, 40, 0.995) for _ in range(2))
        settled["each its own"] += difference(first[::2].tolist(), (2 * second[1::2]).tolist()).is_settled
        settled["together"] += difference(first[::2].tolist(), (2 * first[1::2]).tolist()).is_settled
    assert settled["each its own"] <= 12
    assert settled["together"] >= 36


def test_of_noise_alone_nothing_is_said_to_be_better_and_a_weak_signal_s_range_holds_the_truth() -> None:
    chance = np.random.default_rng(12)
    scatter = ([0.04] * 40, [0.04] * 40)
    for _ in range(50):
        found = difference(*chance.normal(0, 0.04, (2, 40)), scatter)
        assert found.verdict == "no signal"
    held = 0
    for _ in range(100):
        # 12 dB under the noise, the second 3 dB above the first.
        first, second = chance.normal(0.063, 0.04, 40), chance.normal(0.126, 0.042, 40)
        found = difference(first, second, scatter)
        held += found.low_db <= 10 * np.log10(2) <= found.high_db
        assert found.verdict != "first"
    assert held >= 90


@pytest.mark.parametrize("tilt", [0.04, -0.04])
def test_a_floor_that_leans_makes_no_signal_of_noise(tilt: float) -> None:
    """Noise that is by so much stronger in the channel than beside it stays that however often it is measured."""
    chance = np.random.default_rng(3)
    first, second = (tilt * sign + 0.01 * chance.standard_normal(400) for sign in (1, -1))
    noise = ([0.01] * 400, [0.01] * 400)
    assert difference(first, second, noise).has_signal
    assert not difference(first, second, noise, (0.05, 0.05)).has_signal
    # Against a signal as strong as the noise nothing but a bound is known: both means at their unlikeliest.
    bound_db = 10 * np.log10((1.0 - tilt - 0.05) / (tilt + 0.05))
    bound = difference(first, 1.0 + second, noise, (0.05, 0.05))
    assert bound.verdict == "second"
    assert bound_db - 1.0 < bound.low_db < bound_db
    assert bound.high_db == 90.0


def test_a_common_error_of_the_levels_widens_the_range_and_no_number_of_pairs_undoes_it() -> None:
    """Calibrations of 1 dB and 1 dB, one sigma each: 1.96 x 1.41 dB beside what the pairs leave."""
    chance = np.random.default_rng(3)
    first = chance.exponential(1.0, 4_000)
    second = 10 ** (0.1 * 3.0) * first * 10 ** (0.1 * chance.normal(0, 0.5, first.size))
    narrow = difference(first.tolist(), second.tolist())
    wide = narrow.widened(2**0.5)
    assert narrow.high_db - narrow.low_db < 0.1
    assert wide.high_db - wide.db == pytest.approx(2.772, abs=0.01)
    assert wide.db - wide.low_db == pytest.approx(2.772, abs=0.01)
    assert (wide.db, narrow.verdict) == (narrow.db, "second")


def test_pairs_that_repeat_bit_for_bit_are_no_second_look() -> None:
    """Ten copies of four pairs have no scatter but theirs: their range would be that of forty."""
    first, second = [1.0, 1.3, 0.8, 1.1] * 10, [0.7, 0.9, 0.6, 0.8] * 10
    with pytest.raises(BadSamples, match="bit for bit"):
        difference(first, second)
