"""Forecast of a crystal: ageing, weather and random walk since its last measurement."""

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.stability.track import Point
from yarddial.yard.errors import BadSamples

CrystalKind = Literal["plain", "compensated", "oven", "outdoor", "resonator"]
DAY_S, YEAR_S = 86_400.0, 365.25 * 86_400.0


class Habit(msgspec.Struct, frozen=True):
    """What oscillators of a kind do, one sigma.

    plural : their name in a sentence.
    ageing_ppm_year : at first; it slows by 1 / e a year, so that the first year makes 0.63 of it.
    weather_ppm, wander_ppm_year : by seasons and weather, and wandering over a year.
    daily_ppm : between the hours of a day, indoors. cold_ppm : just switched on, against warm.
    weather_days : over which the weather's part is forgotten.
    allan_deviation : fractional, at the seconds of one measurement (IEEE Std 1139; usual figures).
    """

    plural: str
    ageing_ppm_year: float
    weather_ppm: float
    weather_days: float
    wander_ppm_year: float
    allan_deviation: float
    daily_ppm: float
    cold_ppm: float


# Usual figures: plain crystals age 1.5 to 2 ppm in their first year, drift 0.1 ppm/K and 1 to 2 ppm in warm-up;
# resonators outdoors, some ppm/K. A synthesizer outdoors moves by 10 to 50 kHz at 10 GHz between frost and summer.
HABITS: dict[CrystalKind, Habit] = {
    "plain": Habit("plain crystals", 3.2, 0.9, 90.0, 0.65, 1e-9, 0.2, 1.5),
    "compensated": Habit("compensated ones", 0.8, 0.095, 90.0, 0.13, 1e-10, 0.02, 0.15),
    "oven": Habit("ovens", 0.08, 0.005, 90.0, 0.013, 1e-11, 0.001, 0.05),
    "outdoor": Habit("crystals outdoors", 3.2, 1.5, 60.0, 0.65, 1e-9, 1.0, 2.0),
    "resonator": Habit("resonators outdoors", 10.0, 15.0, 90.0, 5.0, 1e-9, 8.0, 10.0),
}
# Dielectric resonators are found above this frequency, with larger stated tolerances than crystals.
RESONATOR_HZ, MIN_RESONATOR_PPM = 3e9, 20.0
# After this part of a day the time of day has no more influence.
HOURS_DAYS = 0.25
# Data sheets of plain crystals allow 20 to 50 ppm, compensated ones 0.5 to 2, ovens less; taken as two sigma.
MIN_PLAIN_PPM, MIN_COMPENSATED_PPM = 3.0, 0.1
# Weight of the prior habits, in measurements.
PRIOR_MEASUREMENTS = 8.0
# Ageing slows: its rate decays over this many years.
SLOWS_YEARS = 1.0


class Forecast(msgspec.Struct, frozen=True):
    """Error in ppm and one-sigma uncertainty at a time; `scale` is this crystal's restlessness relative to its kind."""

    ppm: float
    sigma_ppm: float
    ageing_ppm_year: float
    scale: float


def forecast(history: Sequence[Point], at_s: float, kind: CrystalKind = "plain") -> Forecast:
    """Carry a crystal's error forward from its measurements.

    A Kalman filter [1]_ of three states: a level that wanders, its rate, which dies away, and the weather's part, which
    is forgotten over weeks. The kind's habits are scaled by what the history's surprises show.

    Parameters
    ----------
    history : sequence of Point
        Measurements of the warm crystal, times in seconds, rising; one at least.
    at_s : float
        When to tell it, not before the last of them.

    Raises
    ------
    BadSamples
        No history, or times that run backwards: the computer's clock was set back.

    References
    ----------
    .. [1] Kalman, J. Basic Eng. 82 (1960) 35-45; clocks: Galleani & Tavella, Metrologia 45 (2008) S127-S133.
    """
    if not history:
        raise BadSamples("nothing was measured yet: there is nothing to carry forward")
    times = [point.time_s for point in history]
    if any(later < earlier for earlier, later in zip([*times, at_s], [*times[1:], at_s], strict=False)):
        raise BadSamples("the measurements' times run backwards: the computer's clock was set back; see the log")
    habit = HABITS[kind]
    scale = _scale(history, habit)
    state, covariance, _ = _filter(history, habit, scale)
    state, covariance = _ahead(state, covariance, at_s - times[-1], habit, scale)
    row = np.array([1.0, 0.0, 1.0])
    # The hour of the next use is unknown.
    variance = float(row @ covariance @ row) + (scale * habit.daily_ppm) ** 2
    return Forecast(float(row @ state), variance**0.5, float(state[1]), scale)


def kind_of(sigma_ppm: float, nominal_hz: float = 0.0) -> CrystalKind:
    """Kind of an oscillator from its stated one-sigma tolerance, and its frequency where known."""
    if nominal_hz >= RESONATOR_HZ and sigma_ppm >= MIN_RESONATOR_PPM:
        return "resonator"
    if nominal_hz >= RESONATOR_HZ and sigma_ppm >= MIN_COMPENSATED_PPM:
        return "outdoor"
    if sigma_ppm >= MIN_PLAIN_PPM:
        return "plain"
    return "compensated" if sigma_ppm >= MIN_COMPENSATED_PPM else "oven"


def growth_ppm(seconds_s: float, kind: CrystalKind = "plain") -> float:
    """One-sigma change of an oscillator of a kind in the time since its measurement."""
    habit = HABITS[kind]
    years, days = max(seconds_s, 0.0) / YEAR_S, max(seconds_s, 0.0) / DAY_S
    # Two values of a process with memory d days differ by sqrt(2 - 2 exp(-t/d)) of its sigma.
    weather = habit.weather_ppm * float(np.sqrt(2 - 2 * np.exp(-days / habit.weather_days)))
    ageing = habit.ageing_ppm_year * SLOWS_YEARS * float(1 - np.exp(-years / SLOWS_YEARS))
    # The daily swing is smooth: small within minutes, independent after a quarter of a day.
    daily = habit.daily_ppm * float(np.sqrt(2 - 2 * np.cos(2 * np.pi * min(days, HOURS_DAYS))))
    return float(np.sqrt(habit.wander_ppm_year**2 * years + weather**2 + ageing**2 + daily**2))


def _scale(history: Sequence[Point], habit: Habit) -> float:
    """Restlessness: the scale at which the innovations have variance 1."""
    scale = 1.0
    for _ in range(6):
        *_, surprises = _filter(history, habit, scale)
        # The first measurement has no innovation.
        seen = surprises[1:]
        variance = (PRIOR_MEASUREMENTS + sum(s * s for s in seen)) / (PRIOR_MEASUREMENTS + len(seen))
        scale *= variance**0.5
        if abs(variance - 1) < 1e-3:
            break
    return float(min(max(scale, 0.2), 20.0))


def _filter(history: Sequence[Point], habit: Habit, scale: float) -> tuple[np.ndarray, np.ndarray, list[float]]:
    state = np.array([history[0].ppm, 0.0, 0.0])
    weather = (scale * habit.weather_ppm) ** 2
    # The level before the first measurement is unknown.
    covariance = np.diag([1e4, (scale * habit.ageing_ppm_year) ** 2, weather])
    row, before_s, surprises = np.array([1.0, 0.0, 1.0]), history[0].time_s, []
    for point in history:
        state, covariance = _ahead(state, covariance, point.time_s - before_s, habit, scale)
        before_s = point.time_s
        variance = float(row @ covariance @ row) + point.sigma_ppm**2 + (scale * habit.daily_ppm) ** 2
        gain = covariance @ row / variance
        surprise = point.ppm - float(row @ state)
        surprises.append(surprise / variance**0.5)
        state = state + gain * surprise
        covariance = covariance - np.outer(gain, row @ covariance)
    return state, covariance, surprises


def _ahead(
    state: np.ndarray, covariance: np.ndarray, seconds_s: float, habit: Habit, scale: float
) -> tuple[np.ndarray, np.ndarray]:
    """Predict the state at a later time, exactly for each component."""
    years, days = seconds_s / YEAR_S, seconds_s / DAY_S
    keeps, slows = float(np.exp(-days / habit.weather_days)), float(np.exp(-years / SLOWS_YEARS))
    step = np.array([[1.0, SLOWS_YEARS * (1 - slows), 0.0], [0.0, slows, 0.0], [0.0, 0.0, keeps]])
    wander = (scale * habit.wander_ppm_year) ** 2 * years
    weather = (scale * habit.weather_ppm) ** 2 * (1 - keeps**2)
    noise = np.diag([wander, 0.0, weather])
    return step @ state, step @ covariance @ step.T + noise
