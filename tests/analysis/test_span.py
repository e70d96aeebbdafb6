"""Rates by their formulas, and the chosen centre against a search by plain loops."""

from itertools import pairwise
from random import Random

import msgspec
import pytest

from yarddial.analysis.span.adc import converter_figures
from yarddial.analysis.span.cover import (
    ENOUGH_HZ,
    Channel,
    CoverRequest,
    best_covers,
    possible_centres,
    step_plan,
    unwanted_at,
)
from yarddial.analysis.span.rates import rate_figures, recommended
from yarddial.yard.errors import BadPath


def random_request(seed: int) -> CoverRequest:
    """A band with channels, strong signals and a crystal."""
    chance = Random(seed)
    low = chance.uniform(1e6, 500e6)
    width = chance.uniform(20e3, 1.6e6)
    channels = tuple(
        Channel(f"C{i}", low + chance.random() * width, chance.choice((1.5e3, 6e3, 8e3)))
        for i in range(chance.randint(1, 6))
    )
    strong = tuple((low + chance.uniform(-3e6, width + 3e6), f"S{i}") for i in range(chance.randint(0, 5)))
    hole = low + width * chance.random()
    ranges = ((0.0, 2e9),) if chance.random() < 0.7 else ((0.0, hole), (hole + 50e3, 2e9))
    crystal = chance.choice((0.0, 26e6, 1e6, 24e6))
    return CoverRequest(low, low + width, channels, (1.024e6, 2.048e6, 2.56e6), ranges, strong, crystal, 5_000.0)


def brute(request: CoverRequest) -> tuple[float, float, float, float, float] | None:
    """The best key by plain loops, written from the words of the page: spike, mirrors, aliases, crystal."""
    best = None
    for rate in request.rates_hz:
        k = int(request.low_hz / request.step_hz) - int(rate / request.step_hz)
        while k * request.step_hz < request.high_hz + rate:
            centre, k = k * request.step_hz, k + 1
            if centre - 0.4 * rate > request.low_hz or centre + 0.4 * rate < request.high_hz:
                continue
            if not any(low <= centre <= high for low, high in request.ranges_hz):
                continue
            bad = [centre]
            for hertz, _ in request.strong:
                away = hertz - centre
                if abs(away) < rate / 2:
                    bad.append(centre - away)
                elif abs(away) < 1.5 * rate:
                    bad.append(hertz - rate if away > 0 else hertz + rate)
            harmonic = 1
            while request.crystal_hz and harmonic * request.crystal_hz <= centre + rate / 2:
                if harmonic * request.crystal_hz >= centre - rate / 2:
                    bad.append(harmonic * request.crystal_hz)
                harmonic += 1
            rooms = [abs(b - c.middle_hz) - c.half_hz for b in bad for c in request.channels]
            room = min(max(r, 0.0) for r in rooms)
            key = (sum(r <= 0 for r in rooms), -min(room, ENOUGH_HZ), rate,
                   abs(centre - (request.low_hz + request.high_hz) / 2), centre)  # fmt: skip
            if best is None or key < best:
                best = key
    return best


@pytest.mark.parametrize("seed", range(25))
def test_the_chosen_centre_is_the_best_that_plain_loops_find(seed: int) -> None:
    request = random_request(seed)
    wanted = brute(request)
    if wanted is None:
        with pytest.raises(BadPath):
            best_covers(request)
        return
    found = best_covers(request)[0]
    assert (found.hits, found.rate_hz, found.centre_hz) == (wanted[0], wanted[2], wanted[4])
    assert min(found.room_hz, ENOUGH_HZ) == pytest.approx(-wanted[1], abs=1e-6)
    assert found.why()


def test_a_direct_sampler_has_neither_a_spike_nor_mirrors() -> None:
    """Mixing in numbers is exact; only what the rate folds in and the crystal are left."""
    tuner = CoverRequest(7.0e6, 7.2e6, (), (1.024e6,), ((0.0, 30e6),), ((7.3e6, "near"), (7.9e6, "far")))
    names = [name for _, name in unwanted_at(tuner, 1.024e6, 7.1e6)]
    assert names == ["the spike at the centre", "the mirror of near", "the alias of far"]
    direct = msgspec.structs.replace(tuner, is_mixed_in_numbers=True)
    assert [name for _, name in unwanted_at(direct, 1.024e6, 7.1e6)] == ["the alias of far"]
    channel = Channel("wanted", 7.1e6, 1_500.0)
    beside = msgspec.structs.replace(direct, channels=(channel,))
    # With a spike the best centre stands off the channel; without, it is the middle of the band.
    assert best_covers(beside)[0].centre_hz == pytest.approx(7.1e6)
    assert best_covers(msgspec.structs.replace(tuner, channels=(channel,)))[0].centre_hz != pytest.approx(7.1e6)


def test_a_band_wider_than_the_span_is_covered_in_even_steps() -> None:
    request = CoverRequest(88e6, 108e6, (), (2.048e6,), ((0.0, 2e9),))
    assert not possible_centres(request, 2.048e6).size
    with pytest.raises(BadPath, match="in steps"):
        best_covers(request)
    steps = step_plan(88e6, 108e6, 2.048e6)
    # 20 MHz over 1.6384 MHz of clean span: 13 steps.
    assert len(steps) == 13
    assert steps[0] - 88e6 <= 0.4 * 2.048e6
    assert max(b - a for a, b in pairwise(steps)) <= 0.8 * 2.048e6


def test_rates_are_told_with_their_loads_and_the_lossy_one_is_not_recommended() -> None:
    figures = rate_figures((2.56e6, 3.0e6, 2.048e6), 8, 2.4e3, 4096, {3.0e6: 0.002, 2.56e6: 0.0})
    assert [f.rate_hz for f in figures] == [2.048e6, 2.56e6, 3.0e6]
    one = figures[0]
    assert (one.clean_hz, one.bytes_per_s, one.bin_hz, one.line_s) == (1.6384e6, 4.096e6, 500.0, 0.002)
    assert one.gigabytes_per_hour == pytest.approx(4.096e6 * 3600 / 1e9)
    # 8 bits over 2.048 MHz, heard in 2.4 kHz: 10 log10(853.3) = 29.31 dB more, 4.87 bits.
    assert one.effective_bits == pytest.approx(8 + 29.311 / 6.02, abs=0.01)
    highest, with_room = recommended(figures)
    assert highest is not None
    assert with_room is not None
    assert (highest.rate_hz, with_room.rate_hz) == (2.56e6, 2.048e6)
    assert recommended(rate_figures((40e6,), 14, 2.4e3, 4096)) == (None, None)


def test_a_converters_figures_follow_the_formulas() -> None:
    found = converter_figures(14, 8e6, 8e3)
    assert found.snr_db == pytest.approx(6.02 * 14 + 1.76 + 30.0)
    assert found.bytes_per_s == 32e6
    assert "6.02 b" in found.working().as_text()
    with pytest.raises(BadPath, match="smaller one"):
        converter_figures(8, 1e6, 2e6)


def test_effective_bits_and_the_bits_on_the_link_are_the_receivers_own() -> None:
    """16 bits of which 12.5 are good, sent as 24: three bytes a component, and 3.5 bits less in a channel."""
    plain, own = (
        rate_figures((1e6,), 16, 2.4e3, 4096, **more)[0]  # type: ignore[arg-type]
        for more in ({}, {"effective_bits": 12.5, "stream_bits": 24})
    )
    assert (plain.bytes_per_s, own.bytes_per_s) == (4e6, 6e6)
    assert plain.effective_bits - own.effective_bits == pytest.approx(3.5)
