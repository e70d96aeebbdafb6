"""Gaps between stations whose places are known because they were put there."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from yarddial.dsp.clear_places import clear_stretches, next_clear

ROW_HZ, ROWS, LOW_HZ = 100.0, 400, 7_000_000.0


def band(stations: list[tuple[int, int]], seed: int, seconds: int = 10) -> NDArray[np.float32]:
    """Noise of four averages a column; each station stands in its rows in one second of them."""
    chance = np.random.default_rng(seed)
    power = chance.gamma(4.0, 0.25, (10 * seconds, ROWS))
    for first, last in stations:
        second = int(chance.integers(seconds))
        power[10 * second : 10 * second + 10, first:last] += 30.0
    return (10 * np.log10(power)).astype(np.float32)


@settings(deadline=None, max_examples=60)
@given(st.lists(st.tuples(st.integers(0, 370), st.integers(3, 30)), max_size=5), st.integers(0, 999))
def test_no_gap_touches_a_station_and_every_wide_one_is_found(places: list[tuple[int, int]], seed: int) -> None:
    stations = [(first, min(first + wide, ROWS)) for first, wide in places]
    gaps = clear_stretches(band(stations, seed), ROW_HZ, LOW_HZ, 3_000.0)
    busy = np.zeros(ROWS, bool)
    for first, last in stations:
        busy[first:last] = True
    for low_hz, high_hz in gaps:
        assert high_hz - low_hz >= 3_000.0
        inside = slice(round((low_hz - LOW_HZ) / ROW_HZ + 0.5), round((high_hz - LOW_HZ) / ROW_HZ + 0.5))
        assert not busy[inside].any()
    # Where a quiet stretch is wide, nearly all of it is in gaps: noise alone passes for a station now and then.
    edges = np.flatnonzero(np.diff(np.concatenate([[1], busy.astype(int), [1]]))).reshape(-1, 2)
    wide = [(a, b) for a, b in edges if b - a >= 60]
    found = sum(high - low for low, high in gaps)
    assert found >= 0.5 * sum((b - a) * ROW_HZ for a, b in wide)


def test_too_coarse_or_too_short_tells_nothing() -> None:
    columns = band([], 1)
    assert not clear_stretches(columns[:9], ROW_HZ, LOW_HZ, 3_000.0)
    assert not clear_stretches(columns, 2_000.0, LOW_HZ, 3_000.0)


def test_the_next_one_takes_the_whole_channel_on_its_own_side() -> None:
    gaps = ((7_010_000.0, 7_014_000.0), (7_030_000.0, 7_033_050.0))
    upper, lower = (200.0, 2_800.0), (-2_800.0, -200.0)
    assert next_clear(gaps, 7.0e6, upper, +1, 100.0) == 7_009_800.0
    assert next_clear(gaps, 7.0e6, lower, +1, 100.0) == 7_012_800.0
    assert next_clear(gaps, 7_009_800.0, upper, +1, 100.0) == 7_029_800.0
    assert next_clear(gaps, 7.04e6, upper, -1, 100.0) == 7_030_200.0
    assert next_clear(gaps, 7_030_200.0, upper, +1, 100.0) is None
