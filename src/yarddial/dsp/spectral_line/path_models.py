"""A steady carrier over a path that may fade: what the fading hides is integrated over, not guessed.

The blocks are a constant of unknown size plus a complex Gaussian process with a Gaussian Doppler spectrum [1]_ plus
noise: with spread and power at zero a steady carrier, with both a Rician one, with the constant at zero a Rayleigh one.
On the likelihood over all three, the frequency's mean and variance hold what the path could have done unseen: a slope
of amplitude that is seen tells how far a slope of phase may have been taken for frequency.

References
----------
.. [1] Watterson, Juroshek & Bensema, IEEE Trans. COM-18 (1970) 792-803.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.spectral_line.blocks import MIN_BLOCKS, Blocks
from yarddial.dsp.spectral_line.explanation import Explanation

Floats = NDArray[np.float64]

LEVEL_POINTS = 48
# Standard deviations of the Doppler spectrum that are tried, and grid steps per decade of spread x duration.
MIN_SPREAD_HZ, MAX_SPREAD_HZ, SPREAD_STEPS_A_DECADE = 0.01, 3.0, 4
# Real Doppler spectra have skirts: this share of the power is wider by this factor.
FOOT_POWER_SHARE, FOOT_WIDTH = 1e-3, 4.0
POWER_STEPS = 10
# A fading line's centre has at least this times sqrt(spread / T) as sigma. An ideal Gaussian's skirts would tell more,
# but real paths do not follow it that far.
CENTRE_SIGMA_FACTOR = 0.33
# Real spectra differ from the model, so the centre's sigma grows by this factor.
MODEL_ERROR_FACTOR = 1.25
# Prior weights of fading on a path that fades and on one that is steady, and of a level that changes by itself.
FADING_PRIOR, STEADY_PATH_PRIOR, LEVEL_CHANGES = 2.0, 0.002, 0.005
# Frequency grid: points on each side, and its minimum reach in hertz and in bins.
HALF_SEARCH_POINTS, REACH_HZ, REACH_BINS = 40, 3.0, 3.0


@lru_cache(maxsize=128)
def doppler_kernel(points: int, step: int) -> tuple[Floats, Floats]:
    """Eigenvalues and eigenvectors of the fading process's correlation, spread x duration = 10^(step / STEPS)."""
    at = np.arange(points) / points
    apart = at[:, None] - at[None, :]
    spread = 10 ** (step / SPREAD_STEPS_A_DECADE)
    correlation = (1 - FOOT_POWER_SHARE) * np.exp(-2 * (np.pi * spread * apart) ** 2)
    correlation += FOOT_POWER_SHARE * np.exp(-2 * (np.pi * FOOT_WIDTH * spread * apart) ** 2)
    values, vectors = np.linalg.eigh(correlation)
    return np.maximum(values, 0.0), vectors


def _steps(duration_s: float, points: int) -> range:
    low = round(SPREAD_STEPS_A_DECADE * np.log10(MIN_SPREAD_HZ * duration_s))
    high = round(SPREAD_STEPS_A_DECADE * np.log10(min(MAX_SPREAD_HZ * duration_s, points / 5)))
    return range(low, max(high, low) + 1)


def sinh_grid(sigma_hz: float, reach_hz: float, half: int) -> tuple[Floats, Floats]:
    """Grid points, dense in the middle and sparse outside, with the width that each represents."""
    limit = np.arcsinh(reach_hz / sigma_hz)
    places = sigma_hz * np.sinh(np.linspace(-limit, limit, 2 * half + 1))
    return places, np.gradient(places)


def explain_path(blocks: Blocks, *, may_fade: bool = True) -> list[Explanation]:
    """Explain the blocks by a steady, a fading and a level-changing carrier near zero.

    may_fade : whether the path is known to fade; otherwise fading must show itself.
    """
    prior = FADING_PRIOR if may_fade else STEADY_PATH_PRIOR
    signal = max(abs(blocks.means.sum()) ** 2 / blocks.means.size, 4.0)
    # Cramer-Rao bound for a steady carrier.
    sigma_hz = float((6 / signal) ** 0.5) / (2 * np.pi * blocks.duration_s)
    few, points = blocks.condensed(LEVEL_POINTS), LEVEL_POINTS
    reach_hz = max(REACH_HZ, REACH_BINS / few.duration_s)
    places, widths = sinh_grid(0.7 * sigma_hz, reach_hz, HALF_SEARCH_POINTS)
    first = _weigh(few, places, widths, prior)
    if first[1].log_evidence > first[0].log_evidence - 3.0:
        # Repeat on a finer grid around the first result.
        offset_hz, sigma = first[1].offset_hz, max(first[1].variance ** 0.5, 0.3 * sigma_hz)
        near = np.linspace(offset_hz - 6 * sigma, offset_hz + 6 * sigma, 2 * HALF_SEARCH_POINTS + 1)
        wide = np.linspace(-reach_hz, reach_hz, 2 * HALF_SEARCH_POINTS + 1)
        places = np.unique(np.concatenate([places, near, wide]))
        first = _weigh(blocks.condensed(2 * points), places, np.gradient(places), prior)
    return first


def _weigh(few: Blocks, places: Floats, widths: Floats, prior: float) -> list[Explanation]:
    count, duration_s = few.means.size, few.duration_s
    turned = few.means[:, None] * np.exp(-2j * np.pi * np.outer(few.time_s, places))
    total = turned.sum(axis=0)
    steady = np.abs(total) ** 2 / count
    steps = _steps(duration_s, count)
    powers = np.geomspace(0.003, 3.0, POWER_STEPS) * max(few.energy / count, 1.0)
    fading = np.empty((len(steps), POWER_STEPS, places.size))
    left = np.empty((len(steps), POWER_STEPS))
    for row, step in enumerate(steps):
        values, vectors = doppler_kernel(count, step)
        seen = vectors.T @ turned
        ones = vectors.sum(axis=0)
        scale = 1 + powers[:, None] * values
        constant = (ones**2 / scale).sum(axis=1)
        quadratic = (1 / scale) @ (np.abs(seen) ** 2)
        along = np.abs((ones / scale) @ seen) ** 2 / constant[:, None]
        fading[row] = (
            few.energy
            - np.log(scale).sum(axis=1)[:, None]
            - quadratic
            + along
            - np.log(constant / count * MIN_BLOCKS)[:, None]
        )
        left[row] = (quadratic - along).min(axis=1) / (count - 1)
    each = np.log(1 / (len(steps) * POWER_STEPS))
    best = np.unravel_index(int(np.argmax(fading.max(axis=2))), left.shape)
    spread_hz = 10 ** (steps[int(best[0])] / SPREAD_STEPS_A_DECADE) / duration_s
    many, many_place, many_variance = log_moments(fading.reshape(-1, places.size), places, widths)
    share = min(float(powers[int(best[1])]) / max(few.energy / count - 1, 1e-9), 1.0)
    many_variance = MODEL_ERROR_FACTOR**2 * max(
        many_variance, share * CENTRE_SIGMA_FACTOR**2 * spread_hz / duration_s * min(1.0, spread_hz * duration_s)
    )
    alone = _steady(few, float(places[int(np.argmax(steady))]))
    return [
        alone,
        Explanation(
            "fading", many + each + np.log(prior), many_place, many_variance, float(left[best]), 2 * count - 3,
            spread_hz=spread_hz, signal=max(few.energy - count, 1.0),
        ),
        _level(few, alone.offset_hz, steps, powers),
    ]  # fmt: skip


def _steady(few: Blocks, hertz: float) -> Explanation:
    """Evaluate at the maximum of the likelihood, whose curvature gives the Cramer-Rao bound."""
    count = few.means.size
    for _ in range(4):
        turned = few.turned(hertz)
        total = turned.sum()
        slope = np.sum(few.time_s * turned) * -2j * np.pi
        curve = np.sum(few.time_s**2 * turned) * -4 * np.pi**2
        first = 2 * float(np.real(np.conj(total) * slope))
        second = 2 * float(np.real(np.conj(total) * curve)) + 2 * abs(slope) ** 2
        if second >= 0:
            break
        hertz -= float(np.clip(first / second, -0.3 / few.duration_s, 0.3 / few.duration_s))
    power = float(abs(few.turned(hertz).sum()) ** 2) / count
    variance = 6 / max(power, 1.0) / (2 * np.pi * few.duration_s) ** 2
    left = (few.energy - power) / (count - 1.5)
    log = power - np.log(MIN_BLOCKS) + 0.5 * np.log(2 * np.pi * variance)
    return Explanation("steady", float(log), hertz, variance, left, 2 * count - 3, signal=max(power - 1, 1.0))


def log_moments(log_likelihood: Floats, places: Floats, widths: Floats) -> tuple[float, float, float]:
    """Log of the integral over all rows, with mean and variance of the frequency.

    The variance is at least that of the middle 95.4 %, so that a distant tail counts.
    """
    limit = float(log_likelihood.max())
    weights = np.exp(log_likelihood - limit).sum(axis=0) * widths
    total = float(weights.sum())
    share = weights / total
    mean = float(share @ places)
    variance = float(share @ (places - mean) ** 2)
    return limit + float(np.log(total)), mean, variance


def _level(few: Blocks, hertz: float, steps: range, powers: Floats) -> Explanation:
    """Explain by a carrier with changing level: the process is in phase with it, the quadrature is noise."""
    count = few.means.size
    turned = few.turned(hertz)
    turned = turned * np.exp(-1j * np.angle(np.sum(turned)))
    slopes = np.stack([np.ones(count), 2 * np.pi * few.time_s], axis=1)
    offset_hz = 0.0
    # Refine frequency and phase with each block weighted by its level; twice, since the first step may be long.
    for _ in range(3):
        level = np.maximum(turned.real, 0.0)
        weights = level**2 + 1e-9
        normal = (slopes * weights[:, None]).T @ slopes
        moved = np.linalg.solve(normal, slopes.T @ (level * turned.imag))
        turned = turned * np.exp(-1j * (slopes @ moved))
        offset_hz += float(moved[1])
    variance = float(np.linalg.inv(normal)[1, 1] / 2)
    across = float(np.sum(turned.imag**2))
    best = -np.inf
    logs = []
    for step in steps:
        values, vectors = doppler_kernel(count, step)
        seen, ones = vectors.T @ turned.real, vectors.sum(axis=0)
        scale = 1 + 2 * powers[:, None] * values
        constant = (ones**2 / scale).sum(axis=1)
        quadratic = (1 / scale) @ seen**2 - ((ones / scale) @ seen) ** 2 / constant
        log = -0.5 * np.log(scale).sum(axis=1) - quadratic - 0.5 * np.log(constant / count * MIN_BLOCKS)
        logs.append(log)
        best = max(best, float(log.max()))
    log_evidence = few.energy - across - 0.5 * np.log(MIN_BLOCKS) + 0.5 * np.log(2 * np.pi * variance)
    # Alternatively each block has its own level, as in keying, whose edges no smooth process follows.
    free = -0.5 * count * np.log(1 + 2 * few.energy / count) - 0.5 * np.log(MIN_BLOCKS)
    everything = np.concatenate([*logs, [free + np.log(len(steps) * powers.size)]])
    best = max(best, float(everything[-1]))
    log_evidence += best + np.log(np.exp(everything - best).mean()) + np.log(LEVEL_CHANGES)
    # The level is free, so only the residual in quadrature is judged.
    return Explanation("level", float(log_evidence), hertz + offset_hz, variance, 2 * across / (count - 2), count - 2,
                       signal=max(few.energy - count, 1.0))  # fmt: skip
