"""Gaps found and counted by the phase of lines, in made-up spectra whose truth is known."""

from functools import cache

import numpy as np

from yarddial.dsp.unreported_gaps import BLOCK_SAMPLES, MAX_LOST, LossWatch, steady_lines

RATE_HZ = 1.024e6
LINES_HZ = np.array([-300_123.4, -41_017.7, 111_312.9, 350_871.3])


@cache
def scene(seed: int, seconds_s: float = 1.2) -> np.ndarray:
    """Four lines, one of them with sound on it, 12 dB over the noise of one block."""
    chance = np.random.default_rng(seed)
    time_s = np.arange(int(seconds_s * RATE_HZ)) / RATE_HZ
    noise = chance.standard_normal((2, time_s.size)).astype(np.float32)
    samples = 0.1 * (noise[0] + 1j * noise[1])
    for k, hertz in enumerate(LINES_HZ):
        sound = 1 + 0.6 * np.sin(2 * np.pi * 430.0 * time_s) if k == 1 else 1.0
        samples += 0.03 * sound * np.exp(2j * np.pi * (hertz * time_s % 1.0) + 1j * k)
    return samples.astype(np.complex64)


def test_gaps_are_found_in_their_places_and_a_sure_count_is_the_true_one() -> None:
    base = scene(1)
    chance = np.random.default_rng(3)
    lines_hz = steady_lines(base[: 40 * BLOCK_SAMPLES], RATE_HZ)
    sure = 0
    for gap in [1, 2, 9_999, 10_000, *chance.integers(1, 10_001, 26).tolist()]:
        place = int(chance.integers(12 * BLOCK_SAMPLES, 138 * BLOCK_SAMPLES))
        watch = LossWatch(RATE_HZ, lines_hz)
        (loss,) = watch.push(np.concatenate([base[:place], base[place + gap :]])) + watch.finish()
        assert abs(loss.index - place) <= 2 * BLOCK_SAMPLES
        assert loss.count == gap or not loss.is_sure
        sure += loss.is_sure
    # What four lines leave open they say: by chance about 1 in 1,000.
    assert sure >= 28


def test_pieces_give_what_the_whole_gives_and_what_fades_is_no_gap() -> None:
    base = scene(1)
    broken = np.concatenate([base[:600_000], base[600_077:]])
    watch = LossWatch(RATE_HZ, steady_lines(base, RATE_HZ))
    found = [loss for k in range(0, broken.size, 50_000) for loss in watch.push(broken[k : k + 50_000])]
    assert [loss.count for loss in found] == [77]
    time_s = np.arange(base.size) / RATE_HZ
    faded = base * (0.6 + 0.4 * np.cos(2 * np.pi * 3.0 * time_s)).astype(np.float32)
    assert LossWatch(RATE_HZ, steady_lines(base, RATE_HZ)).push(faded.astype(np.complex64)) == []


def test_one_line_alone_decides_nothing() -> None:
    time_s = np.arange(60 * BLOCK_SAMPLES) / RATE_HZ
    noise = np.random.default_rng(2).standard_normal((2, time_s.size))
    one = (np.exp(2j * np.pi * 100_000.0 * time_s) + 0.2 * (noise[0] + 1j * noise[1])).astype(np.complex64)
    watch = LossWatch(RATE_HZ, steady_lines(one, RATE_HZ))
    assert not watch.can_see
    assert watch.push(np.concatenate([one[:200_000], one[200_100:]])) == []
    assert MAX_LOST > 10_000
    assert steady_lines(one[:100], RATE_HZ).size == 0
