"""Warm-up, Allan deviation, forecast: against made-up oscillators whose course is known."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.analysis.stability.allan import allan_deviation, in_words
from yarddial.analysis.stability.forecast import DAY_S, HABITS, forecast, kind_of
from yarddial.analysis.stability.temperature import fit_slope
from yarddial.analysis.stability.track import Point
from yarddial.analysis.stability.warm_up import fit_warm_up
from yarddial.yard.errors import BadSamples


def run_up(size_ppm: float, tau_s: float, span_s: float = 3_600.0, seed: int = 1) -> list[Point]:
    chance = np.random.default_rng(seed)
    times = np.arange(0.0, span_s, 10.0)
    return [Point(float(t), 27 + size_ppm * np.exp(-t / tau_s) + chance.normal(0, 0.02), 0.02) for t in times]


def test_a_warm_up_is_fitted_and_says_when_it_is_steady() -> None:
    found = fit_warm_up(run_up(4.0, 240.0), tolerance_ppm=0.1)
    assert found.settled_ppm == pytest.approx(27.0, abs=5 * found.settled_sigma_ppm)
    assert found.tau_s == pytest.approx(240.0, rel=0.03)
    # 4 ppm fall to 0.1 after tau ln 40.
    assert found.steady_after_s == pytest.approx(240.0 * np.log(40), rel=0.05)
    assert found.has_settled
    assert found.sentence() == "steady after 15 min, within 0.1 ppm"
    assert fit_warm_up(run_up(0.0, 240.0)).sentence().startswith("steady from the start")
    early = fit_warm_up(run_up(4.0, 3_000.0, 1_200.0))
    # The last point is at 1190 s; what it moved by is measured, what is left only guessed at.
    left_ppm = 4 * np.exp(-1_190 / 3_000)
    assert early.size_ppm - early.left_ppm == pytest.approx(4 - left_ppm, rel=0.03)
    assert early.left_ppm == pytest.approx(left_ppm, rel=0.4)
    assert "moved by 1.3 ppm" in early.sentence()
    with pytest.raises(BadSamples, match="longer"):
        fit_warm_up(run_up(4.0, 240.0)[:5])


def test_allan_deviation_of_white_noise_falls_with_the_root_of_time() -> None:
    chance = np.random.default_rng(2)
    points = [Point(float(t), float(chance.normal(0, 0.01)), 0.01) for t in range(4_096)]
    curve = allan_deviation(points)
    # White frequency noise of 1e-8: the deviation is that over the root of tau.
    holds = [one.low <= 1e-8 / one.tau_s**0.5 <= one.high for one in curve]
    assert sum(holds) >= 0.5 * len(holds)
    assert curve[0].deviation == pytest.approx(1e-8, rel=0.05)
    assert curve[-1].high / curve[-1].low > curve[0].high / curve[0].low
    assert "Hz at 100 MHz" in in_words(curve, 100e6)
    with pytest.raises(BadSamples, match="too few"):
        allan_deviation(points[:10])
    off_step = [*points[:20], *(Point(p.time_s + 0.5, p.ppm, p.sigma_ppm) for p in points[20:40])]
    with pytest.raises(BadSamples, match="evenly"):
        allan_deviation(off_step)


@given(st.sets(st.integers(1, 38), max_size=12), st.integers(0, 99))
def test_missed_points_take_their_time_and_only_whole_averages_count(missed: set[int], seed: int) -> None:
    """Against the definition, average by average: half the mean square of the differences of averages side by side."""
    chance = np.random.default_rng(seed)
    values = {i: float(chance.normal(0, 1e-2)) for i in range(40) if i not in missed}
    found = allan_deviation([Point(float(i), ppm, 1e-3) for i, ppm in values.items()])
    for one in found:
        m, squares = round(one.tau_s), []
        for first in range(40 - 2 * m + 1):
            early, late = range(first, first + m), range(first + m, first + 2 * m)
            if all(i in values for i in (*early, *late)):
                squares.append((sum(values[i] for i in late) / m - sum(values[i] for i in early) / m) ** 2)
        assert one.deviation == pytest.approx((sum(squares) / len(squares) / 2) ** 0.5 * 1e-6, rel=1e-9)
    assert found[0].tau_s == pytest.approx(1.0)


def test_doubt_grows_honestly_after_the_last_measurement_and_ageing_is_learned() -> None:
    one = [Point(0.0, 27.0, 0.05)]
    uncertainties = [forecast(one, days * DAY_S).sigma_ppm for days in (0.0, 1.0, 30.0, 180.0)]
    assert uncertainties == sorted(uncertainties)
    # At once, but at another hour of some day: both looks are off by the hours.
    daily = HABITS["plain"].daily_ppm
    assert uncertainties[0] == pytest.approx((0.05**2 + 2 * daily**2) ** 0.5, rel=0.01)
    # Half a year of a plain crystal: ageing, weather and wandering of its kind, by their formulas.
    habit = HABITS["plain"]
    aged = habit.ageing_ppm_year * (1 - np.exp(-180 / 365.25))
    weather = habit.weather_ppm**2 * 2 * (1 - np.exp(-180 / habit.weather_days))
    expected = (0.05**2 + 2 * daily**2 + aged**2 + weather + habit.wander_ppm_year**2 * 180 / 365.25) ** 0.5
    assert uncertainties[-1] == pytest.approx(expected, rel=0.02)
    # Ten months of 2 ppm a year, measured often: the next month is foretold, and better than without a history.
    steady = [Point(days * DAY_S, 27 + 2 * days / 365.25, 0.02) for days in range(0, 300, 15)]
    told = forecast(steady, 330 * DAY_S)
    assert told.ppm == pytest.approx(27 + 2 * 330 / 365.25, abs=3 * told.sigma_ppm)
    # Part of it may yet be the weather.
    assert 0.3 < told.ageing_ppm_year < 3.0
    assert told.scale < 1.0
    assert told.sigma_ppm < forecast(one, 45 * DAY_S).sigma_ppm


def test_clocks_set_back_and_no_history_are_said() -> None:
    with pytest.raises(BadSamples, match="nothing was measured"):
        forecast([], 0.0)
    with pytest.raises(BadSamples, match="set back"):
        forecast([Point(10.0, 1.0, 0.1), Point(5.0, 1.0, 0.1)], 20.0)
    with pytest.raises(BadSamples, match="set back"):
        forecast([Point(10.0, 1.0, 0.1)], 5.0)


@given(st.integers(16, 300), st.sampled_from([0.5, 1.0, 5.0]), st.integers(0, 99))
def test_the_allan_deviation_is_that_of_another_program(count: int, step_s: float, seed: int) -> None:
    # It takes two seconds to import, in every worker that collects this file.
    import allantools

    chance = np.random.default_rng(seed)
    ppm = np.cumsum(chance.standard_normal(count)) * 1e-4 + chance.standard_normal(count) * 1e-3
    points = [Point(i * step_s, float(value), 1e-5) for i, value in enumerate(ppm)]
    taus, deviations, _, _ = allantools.oadev(ppm * 1e-6, 1 / step_s, data_type="freq", taus="octave")
    found = allan_deviation(points)
    assert [one.tau_s for one in found] == pytest.approx(list(taus))
    assert [one.deviation for one in found] == pytest.approx(list(deviations), rel=1e-9)


def test_a_cubic_is_seen_over_a_wide_range_of_temperatures_and_not_guessed_over_a_narrow_one() -> None:
    cut = [(t, 0.05 * (t - 25) + 1e-4 * (t - 25) ** 3) for t in range(0, 51, 5)]
    found = fit_slope([Point(float(i), y, 0.01) for i, (_, y) in enumerate(cut)], [t for t, _ in cut])
    assert (found.slope_ppm_k, found.cubic_ppm_k3) == (pytest.approx(0.05, abs=1e-6), pytest.approx(1e-4, abs=1e-8))
    assert found.at(50.0) == pytest.approx(0.05 * 25 + 1e-4 * 25**3, abs=1e-6)
    near = [row for row in cut if 15 <= row[0] <= 35]
    assert (
        fit_slope([Point(float(i), y, 0.01) for i, (_, y) in enumerate(near)], [t for t, _ in near]).cubic_ppm_k3 == 0
    )


@pytest.mark.parametrize(
    ("sigma_ppm", "hertz", "kind"),
    [(25.0, 28.8e6, "plain"), (0.5, 24e6, "compensated"), (0.01, 10e6, "oven"), (51.0, 9.75e9, "resonator"),
     (12.5, 9.75e9, "outdoor")],
)  # fmt: skip
def test_an_oscillator_is_what_its_sheet_and_frequency_say(sigma_ppm: float, hertz: float, kind: str) -> None:
    assert kind_of(sigma_ppm, hertz) == kind
