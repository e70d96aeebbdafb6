"""A line with a second ray: the answer is the line, never a place between the two.

The blocks are a constant of unknown size (the line), a complex Gaussian process about it (its own fading), and a second
process of another width that stands beside it: a reflection that is displaced, spread or sweeping, or another station
that fades. All three are complex Gaussian with Gaussian Doppler spectra [1]_, plus noise of unit variance.

References
----------
.. [1] Watterson, Juroshek & Bensema, IEEE Trans. COM-18 (1970) 792-803.
"""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import OtherLine
from yarddial.dsp.spectral_line.blocks import MIN_BLOCKS, Blocks
from yarddial.dsp.spectral_line.explanation import Explanation
from yarddial.dsp.spectral_line.path_models import (
    CENTRE_SIGMA_FACTOR,
    MODEL_ERROR_FACTOR,
    SPREAD_STEPS_A_DECADE,
    doppler_kernel,
    log_moments,
)

Complexes = NDArray[np.complex128]
Floats = NDArray[np.float64]

# Widths of the second ray that are tried first, in steps of the spread, and its smallest distance from the line.
FIRST_STEPS, MIN_DISTANCE_BINS = (-4, 0, 2, 4), 0.7
# A ray nearer than this many standard deviations, of both where the line fades, is part of one fading spectrum.
MIN_DISTANCE_SPREADS = 2.5
# Uncertainty from a ray as strong as the line whose spectrum is not the model's, in bins.
MISMATCH_BINS = 0.01
# Narrowest and widest spread, in the same steps: spread x duration from 0.03 to 30.
MIN_STEP, MAX_STEP = -6, 6
# The ray stays within this share of the blocks' bandwidth.
BAND_SHARE = 0.45
# Modes of a process with less power than this, of the noise, are left out.
MIN_MODE_POWER = 1e-2
# The line stands above the mean of the bins beside it by this factor, or is a peak of something broad.
MIN_PEAK_RATIO, BESIDE_BINS = 12.0, (3, 9)
# Blocks that are tried in turn, as few as hold the ray; and how many there are.
BLOCK_COUNTS, MAX_BLOCKS = (96, 144), MIN_BLOCKS
# The search ends after so many rounds, or when a round gains less than this.
MAX_ROUNDS, MIN_LOG_GAIN = 24, 0.1
# Log odds against a second ray: its place, width and level, and that it is rarer than fading alone.
RAY_LOG_PENALTY = 16.0
# Power, of all, and width of the line's own fading from which the fit without a ray is searched.
ALONE_STARTS = tuple((share, step) for share in (0.01, 0.1, 0.4, 1.0) for step in (-4, -2, 0, 2, 4))
# Widths of fading spectra whose middle is not the strongest bin, and its distances in standard deviations.
OFF_MIDDLE_STEPS, OFF_MIDDLE_SPREADS = (0, 1, 2, 3, 4), (-2.0, -1.3, -0.6, 0.6, 1.3, 2.0)
# Log likelihood that a first guess of a ray must gain over the first guess without.
MIN_FIRST_GAIN = 4.0
# Frequency grid about the line.
GRID_PLACES, GRID_REACH_SIGMAS = 25, 6.0


class Rays(msgspec.Struct, frozen=True):
    """Parameters: power of the line's own fading and of the ray, in the noise of a block; their widths; the distance.

    own_step, ray_step : spread x duration is 10^(step / SPREAD_STEPS_A_DECADE). away_hz : of the ray from the line.
    """

    own_power: float
    own_step: int
    ray_power: float
    ray_step: int
    away_hz: float


class _RayFit(msgspec.Struct, frozen=True):
    """Log likelihood with the line's size integrated over, its power, and what is left over."""

    log: float
    line: float
    left: float


def explain_ray(blocks: Blocks, rayless_log: float) -> Explanation | None:
    """Explain the blocks by a line near zero and a second ray; None where a line that fades alone is as likely.

    rayless_log : log evidence of the likeliest model without a ray. The other models see fewer and longer blocks, so
    the ray is weighed against its own fit without a ray, on the same blocks.
    """
    if not _stands_out(blocks):
        return None
    starts = _starts(blocks)
    widest = max(starts, key=lambda rays: _fit(blocks, 0.0, rays).log)
    blocks = _few_enough(blocks, widest)
    longer = MAX_BLOCKS / blocks.means.size
    sigma_hz = _sigma_hz(blocks)
    power = max(blocks.energy / blocks.means.size - 1, 0.01)
    rayless = [Rays(share * power, step, 0.0, 0, 0.0) for share, step in ALONE_STARTS]
    alone = _likeliest(blocks, rayless)
    # The strongest bin of a fading spectrum may stand far from its middle.
    starts_alone = [(hertz, _likeliest(blocks, [rays], hertz)) for hertz, rays in _off_middle(blocks, power)]
    alone_hz, alone = max([(0.0, alone), *starts_alone], key=lambda start: start[1][0])
    change = msgspec.structs.replace
    rayed = [change(rays, ray_power=longer * rays.ray_power) for rays in starts]
    rayed += [change(rays, own_power=alone[1].own_power, own_step=alone[1].own_step) for rays in rayed[::2]]
    first = _likeliest(blocks, rayed)
    # A ray that is there shows in the first guess, before any search.
    if first[0] < alone[0] + MIN_FIRST_GAIN:
        return None
    _, _, alone_best = _climbed(blocks, alone[1], sigma_hz, alone_hz)
    place_hz, rays, best = _climbed(blocks, first[1], sigma_hz)
    gain = best.log - alone_best.log - RAY_LOG_PENALTY
    ray_spread_hz, own_spread_hz = (_spread_hz(step, blocks.duration_s) for step in (rays.ray_step, rays.own_step))
    is_steady = best.line > rays.own_power * blocks.means.size
    spread_hz = ray_spread_hz if is_steady else float(np.hypot(ray_spread_hz, own_spread_hz))
    if gain < 0 or abs(rays.away_hz - place_hz) < MIN_DISTANCE_SPREADS * spread_hz:
        return None
    places, logs = _profile(blocks, place_hz, rays, sigma_hz)
    _, mean_hz, variance = log_moments(logs[None, :], places, np.gradient(places))
    duration_s, count = blocks.duration_s, blocks.means.size
    energy = max(blocks.energy - count, 1.0)
    ray_energy = min(rays.ray_power * count, energy)
    share = min(rays.own_power * count / max(energy - ray_energy, 1e-9), 1.0)
    floor = share * CENTRE_SIGMA_FACTOR**2 * own_spread_hz / duration_s * min(1.0, own_spread_hz * duration_s)
    ray_level = ray_energy / max(energy - ray_energy, 1.0)
    # The ray's spectrum differs from the model, and what the model misses of it leaks into the line.
    floor = max(floor, (MISMATCH_BINS / duration_s) ** 2 * min(ray_level, 1.0))
    other = OtherLine(
        mean_hz + rays.away_hz, max((ray_spread_hz / duration_s) ** 0.5, sigma_hz),
        10 * float(np.log10(max(ray_level, 1e-9))),
    )  # fmt: skip
    return Explanation(
        "two rays", rayless_log + gain, mean_hz, MODEL_ERROR_FACTOR**2 * max(variance, floor), best.left,
        2 * count - 8, spread_hz=own_spread_hz if share > 0.5 else 0.0, others=(other,),
        signal=max(energy - ray_energy, 1.0),
    )  # fmt: skip


def _off_middle(blocks: Blocks, power: float) -> list[tuple[float, Rays]]:
    """Fading spectra whose middle stands up to two standard deviations from the strongest bin."""
    return [
        (share * _spread_hz(step, blocks.duration_s), Rays(power, step, 0.0, 0, 0.0))
        for step in OFF_MIDDLE_STEPS
        for share in OFF_MIDDLE_SPREADS
    ]


def _likeliest(blocks: Blocks, tried: list[Rays], place_hz: float = 0.0) -> tuple[float, Rays]:
    """Log likelihood of the likeliest of some parameters, with the line at a place, and those parameters."""
    fits = [_fit(blocks, place_hz, rays).log for rays in tried]
    best = int(np.argmax(fits))
    return fits[best], tried[best]


def _stands_out(blocks: Blocks) -> bool:
    """Return True unless the line's bin is a peak of a broad spectrum, as noise and wide fading make them.

    In a Gaussian spectrum of M bins the highest is above the mean by a factor of about ln M.
    """
    count = blocks.means.size
    power = np.abs(np.fft.fft(blocks.means)) ** 2 / count
    bins = np.abs(np.fft.fftfreq(count, 1 / count))
    beside = power[(bins >= BESIDE_BINS[0]) & (bins <= BESIDE_BINS[1])]
    return bool(power[bins <= 1].max() > MIN_PEAK_RATIO * beside.mean())


def _few_enough(blocks: Blocks, rays: Rays) -> Blocks:
    """Blocks as long as the ray's distance and width allow: the search takes a fraction of the time."""
    reach_hz = abs(rays.away_hz) + 3 * _spread_hz(rays.ray_step, blocks.duration_s)
    for limit in BLOCK_COUNTS:
        few = blocks.condensed(limit)
        if reach_hz < BAND_SHARE / few.block_s:
            return few
    return blocks


def _sigma_hz(blocks: Blocks) -> float:
    """Cramer-Rao bound of the line as far as it is steady."""
    signal = max(abs(blocks.means.sum()) ** 2 / blocks.means.size, 4.0)
    return float((6 / signal) ** 0.5) / (2 * np.pi * blocks.duration_s)


def _spread_hz(step: int, duration_s: float) -> float:
    return float(10 ** (step / SPREAD_STEPS_A_DECADE)) / duration_s


def _starts(blocks: Blocks) -> list[Rays]:
    """First guesses: where the spectrum without the line stands out most, for each of a few widths."""
    count, duration_s = blocks.means.size, blocks.duration_s
    rest = blocks.means - blocks.means.mean()
    points = 2 * count
    power = np.abs(np.fft.fft(rest, points)) ** 2 / count - 1.0
    hertz = np.fft.fftfreq(points, blocks.block_s)
    bins = np.abs(hertz) * duration_s
    able = (bins > MIN_DISTANCE_BINS) & (np.abs(hertz) < BAND_SHARE / blocks.block_s)
    starts = []
    for step in FIRST_STEPS:
        width = max(10 ** (step / SPREAD_STEPS_A_DECADE), 0.5)
        shape = np.exp(-0.5 * (hertz * duration_s / width) ** 2)
        smooth = np.fft.ifft(np.fft.fft(power) * np.fft.fft(shape)).real / np.sqrt(np.sum(shape**2))
        at = int(np.argmax(np.where(able & (bins > min(2 * width, 4.0)), smooth, -np.inf)))
        total = float(np.sum(np.maximum(power, 0) * np.exp(-0.5 * ((hertz - hertz[at]) * duration_s / width) ** 2)))
        ray_power = max(total / 2, 3.0) / count
        for own_power in (1e-6, 0.1 * max(blocks.energy / count - 1, 0.01)):
            starts.append(Rays(own_power, -2, ray_power, step, float(hertz[at])))
    return starts


def _modes(blocks: Blocks, place_hz: float, rays: Rays) -> Complexes:
    """Modes of both processes, scaled by the root of their power, in the frame of the line; shape (n, modes)."""
    count = blocks.means.size
    columns = []
    for power, step, away_hz in (
        (rays.own_power, rays.own_step, 0.0), (rays.ray_power, rays.ray_step, rays.away_hz - place_hz),
    ):  # fmt: skip
        values, vectors = doppler_kernel(count, step)
        seen = power * values > MIN_MODE_POWER
        if seen.any():
            modes = vectors[:, seen] * np.sqrt(power * values[seen])
            columns.append(modes * np.exp(2j * np.pi * away_hz * blocks.time_s)[:, None])
    return np.concatenate(columns, axis=1) if columns else np.zeros((count, 0), complex)


def _fit(blocks: Blocks, place_hz: float, rays: Rays) -> _RayFit:
    """Log likelihood of a line at a place with these rays, over that of noise alone.

    The covariance is I + M M^H with few modes M: its inverse and determinant by Woodbury's identity.
    """
    count = blocks.means.size
    modes = _modes(blocks, place_hz, rays)
    turned = blocks.turned(place_hz)
    small = np.eye(modes.shape[1]) + modes.conj().T @ modes
    lower = np.linalg.cholesky(small)
    both = np.linalg.solve(lower, modes.conj().T @ np.stack([turned, np.ones(count)], axis=1))
    log_determinant = 2 * float(np.sum(np.log(np.diag(lower).real)))
    quadratic = blocks.energy - float(np.vdot(both[:, 0], both[:, 0]).real)
    constant = count - float(np.vdot(both[:, 1], both[:, 1]).real)
    across = complex(turned.sum() - np.vdot(both[:, 1], both[:, 0]))
    along = abs(across) ** 2 / max(constant, 1e-9)
    log = blocks.energy - log_determinant - quadratic + along
    log -= float(np.log(max(constant, 1e-9) / count * MIN_BLOCKS))
    return _RayFit(float(log), float(along), float((quadratic - along) / (count - 4)))


def _neighbours(rays: Rays, duration_s: float, limit_hz: float, step: float) -> list[Rays]:
    """Rays with one parameter changed; step shrinks from 1 as the search goes on."""
    change = msgspec.structs.replace
    factor = 4.0**step
    width_hz = max(_spread_hz(rays.ray_step, duration_s), 0.5 / duration_s)
    tried = [change(rays, own_power=max(rays.own_power * f, 1e-6)) for f in (factor**2, 1 / factor**2)]
    tried += [change(rays, own_step=rays.own_step + by) for by in (-1, 1) if MIN_STEP <= rays.own_step + by <= MAX_STEP]
    if rays.ray_power == 0:
        return tried
    tried += [change(rays, ray_power=rays.ray_power * f) for f in (factor, 1 / factor)]
    tried += [change(rays, ray_step=rays.ray_step + by) for by in (-1, 1) if MIN_STEP <= rays.ray_step + by <= MAX_STEP]
    for by in (-1, 1):
        away_hz = rays.away_hz + by * step * width_hz
        if abs(away_hz) < limit_hz:
            tried.append(change(rays, away_hz=away_hz))
    return tried


def _climbed(blocks: Blocks, rays: Rays, sigma_hz: float, place_hz: float = 0.0) -> tuple[float, Rays, _RayFit]:
    """Place of the line and rays of the highest likelihood, by a pattern search from a start."""
    step = 1.0
    best = _fit(blocks, place_hz, rays)
    limit_hz = BAND_SHARE / blocks.block_s
    for _ in range(MAX_ROUNDS):
        before = best.log
        for tried in _neighbours(rays, blocks.duration_s, limit_hz, step):
            fit = _fit(blocks, place_hz, tried)
            if fit.log > best.log:
                best, rays = fit, tried
        # Without a ray the process carries the line, and its middle is known to a part of its spread.
        spread_hz = 0.3 * _spread_hz(rays.own_step, blocks.duration_s) if rays.ray_power == 0 else 0.0
        for by in (-1, 1):
            moved_hz = place_hz + by * step * max(3 * sigma_hz, 0.1 / blocks.duration_s, spread_hz)
            fit = _fit(blocks, moved_hz, rays)
            if fit.log > best.log:
                best, place_hz = fit, moved_hz
        if best.log - before < MIN_LOG_GAIN:
            if step < 0.2:
                break
            step /= 2
    return place_hz, rays, best


def _profile(blocks: Blocks, place_hz: float, rays: Rays, sigma_hz: float) -> tuple[Floats, Floats]:
    """Log likelihood over places about the best one, whose curvature gives the reach."""
    fits: dict[float, float] = {}

    def log(hertz: float) -> float:
        if hertz not in fits:
            fits[hertz] = _fit(blocks, hertz, rays).log
        return fits[hertz]

    step_hz = sigma_hz
    for _ in range(8):
        fall = log(place_hz) - 0.5 * (log(place_hz - step_hz) + log(place_hz + step_hz))
        if fall > 0.3:
            break
        step_hz *= 2
    width_hz = step_hz / max(2 * fall, 0.1) ** 0.5
    places = place_hz + np.linspace(-GRID_REACH_SIGMAS, GRID_REACH_SIGMAS, GRID_PLACES) * width_hz
    return places, np.array([log(float(place)) for place in places])
