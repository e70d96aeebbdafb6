"""Uneven sound played evenly: what is heard, against what was sent and when it came, by plain counting."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.dsp.listening.playout import AHEAD_S, FADE_S, MIN_S, SPARE_S, Playout

RATE_HZ = 8_000.0
BLOCK_S = 0.05
N = int(BLOCK_S * RATE_HZ)


def heard(late_s: list[float], step_s: float = 0.02) -> tuple[np.ndarray, Playout, float]:
    """Play blocks that come so late each, in order. Left counts up; right is 1, and less only where it is faded."""
    comes_s = np.maximum.accumulate([BLOCK_S * (at + 1) + late for at, late in enumerate(late_s)])
    playout, parts, now_s, next_at = Playout(RATE_HZ), [], 0.0, 0
    while now_s < comes_s[-1] + 0.5:
        while next_at < len(late_s) and comes_s[next_at] <= now_s:
            counts = np.arange(next_at * N, (next_at + 1) * N, dtype=np.float32)
            playout.put(np.stack([counts, np.ones(N, np.float32)], axis=1), now_s)
            next_at += 1
        parts.append(playout.take(now_s))
        now_s += step_s
    return np.concatenate(parts), playout, now_s


def whole(out: np.ndarray) -> np.ndarray:
    """The counts of samples that are not faded."""
    return out[np.abs(out[:, 1] - 1.0) < 1e-5, 0]


def test_even_sound_is_played_whole_and_hardly_later() -> None:
    out, playout, now_s = heard([0.0] * 100)
    # Every sample once and in order, but for the first edge, which is faded in; it ran dry once, at its end.
    assert np.array_equal(whole(out), np.arange(whole(out)[0], 100 * N))
    assert whole(out)[0] <= FADE_S * RATE_HZ
    assert playout.gaps(now_s) == 1
    # It is looked at every 20 ms: by no more than that may blocks seem uneven.
    assert MIN_S <= playout.wanted_s <= max(MIN_S, SPARE_S + 0.021)


def test_after_it_has_learned_how_uneven_it_comes_there_are_no_gaps_any_more() -> None:
    """Lateness of 0 to 150 ms, 40 s of it: what is held grows to that and no further."""
    _, playout, now_s = heard(list(np.random.default_rng(1).uniform(0.0, 0.15, 800)))
    # In the last 35 s none but that of the end.
    assert playout.gaps(now_s + 60.0 - 35.0) == 1
    assert 0.1 < playout.wanted_s < 0.15 + SPARE_S + 0.021


def test_a_stall_is_one_gap_and_what_then_comes_in_a_heap_is_not_heard_late_for_long() -> None:
    out, playout, now_s = heard([0.0] * 200 + [1.0] + [0.0] * 600)
    assert playout.gaps(now_s) == 2, "one for the stall, one for the end"
    counts = whole(out)
    assert (np.diff(counts) > 0).all(), "nothing is heard twice"
    # Whoever plays at the pace of the ear has by the end left out what the stall had made late, all but the least.
    played_s = len(out) / RATE_HZ - AHEAD_S
    late_s = played_s - 0.5 - counts[-1] / RATE_HZ
    assert abs(late_s) < 0.3
    assert counts.size > 0.94 * 801 * N


@given(st.lists(st.floats(0.0, 0.4), min_size=20, max_size=200), st.floats(0.005, 0.1))
def test_whatever_comes_is_heard_once_in_order_and_is_bounded(late: list[float], step_s: float) -> None:
    out, playout, _ = heard(late, step_s)
    assert np.isfinite(out).all()
    assert (np.diff(whole(out)) > 0).all()
    assert playout.held_s <= 2.6
    # Right never leaves 0 to 1, whatever is faded into what.
    assert out[:, 1].min() >= 0.0
    assert out[:, 1].max() <= 1.00001


def test_nobody_who_asks_seldom_is_given_the_past() -> None:
    playout = Playout(RATE_HZ)
    playout.put(np.ones((8 * N, 2), np.float32), 0.0)
    playout.take(0.0)
    assert len(playout.take(100.0)) <= (AHEAD_S + 0.001) * RATE_HZ
    assert playout.take(100.0).size == 0
    assert playout.gaps(100.0) == pytest.approx(0, abs=1)


@pytest.mark.parametrize("fast", [0.999, 1.001])
def test_a_device_whose_clock_runs_apart_neither_crackles_nor_falls_behind(fast: float) -> None:
    """A thousand ppm for two minutes: 0.12 s, left out or waited for in a few places and nowhere else."""
    playout, queued, played, now_s = Playout(RATE_HZ), 0.0, 0, 0.0
    while now_s < 120.0:
        if round(now_s / 0.01) % 5 == 0:
            playout.put(np.ones((N, 2), np.float32), now_s)
        out = playout.take(now_s, queued / RATE_HZ)
        queued += len(out)
        played += len(out)
        queued = max(queued - 0.01 * RATE_HZ * fast, 0.0)
        now_s += 0.01
    assert playout.gaps(now_s) <= 2
    assert playout.held_s < 0.5
    assert played == pytest.approx(120.0 * RATE_HZ * fast, rel=0.001)
