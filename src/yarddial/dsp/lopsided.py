"""FM whose mean leans with its loudness: a limiter that clips one side. The middle is what its pauses show."""

import msgspec
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# Pieces of a Hann window each, seconds, half over the next: what speech holds, from 200 Hz on, averages out in one.
PIECE_S = 0.04
# Half-overlapping Hann pieces of white noise tell as much as three quarters of them would that are apart.
OVERLAP_VARIANCE_FACTOR = 4 / 3
# Speech's top, to which loudness is measured; hertz. Loudness is counted in kilohertz.
TOP_HZ, LOUD_HZ = 3_400.0, 1_000.0
# Before a look: most transmitters are even; some lean by hertz for a kilohertz of deviation, a few by tens, and one
# that clips one side by hundreds.
CLASS_PRIORS = (0.75, 0.12, 0.08, 0.05)
LEANS_HZ = (0.0, 3.0, 30.0, 300.0)
# It pauses where the quiet twentieth of the pieces has less than this share of the loud tenth's deviation.
PAUSE_DEVIATION_SHARE = 0.35
# Pieces at least, and what a piece is known to at best.
MIN_PIECES, MIN_HZ = 6, 1e-3


class Leaning(msgspec.Struct, frozen=True):
    """The middle by each kind of transmitter, weighed.

    odds : that it leans. pauses : whether that could be seen.
    """

    middle_hz: float
    sigma_hz: float
    odds: float
    pauses: bool


def judge_lean(hertz: Floats, rate_hz: float, middle_hz: float, sigma_hz: float, noise_hz: float) -> Leaning:
    """Weigh whether a narrow FM signal's mean frequency leans with its loudness, and what its middle is then.

    Piece by piece the mean is middle + a s + b s^2, s the loudness; a and b are of a leaning's size before the look.
    Where there are no pauses that would tell, the uncertainty holds what a lean might do.

    Parameters
    ----------
    hertz : ndarray, shape (n,)
        Instantaneous frequency.
    rate_hz : float
        Of its samples.
    middle_hz, sigma_hz : float
        The plain mean and its uncertainty, right where nothing leans.
    noise_hz : float
        Noise of the instantaneous frequency below TOP_HZ, rms.

    References
    ----------
    MacKay, Information Theory, Inference and Learning Algorithms (2003), chapter 28.
    """
    import scipy.fft

    spectrum = scipy.fft.rfft(hertz - middle_hz)
    spectrum[scipy.fft.rfftfreq(hertz.size, 1 / rate_hz) > TOP_HZ] = 0
    heard = scipy.fft.irfft(spectrum, hertz.size)
    size = int(PIECE_S * rate_hz)
    count = 2 * (hertz.size // size) - 1
    if count < MIN_PIECES:
        return Leaning(middle_hz, sigma_hz, 0.0, pauses=True)
    pieces = np.lib.stride_tricks.sliding_window_view(heard, size)[:: size // 2][:count]
    window = np.hanning(size + 2)[1:-1] / np.hanning(size + 2).sum()
    means = pieces @ window
    loud = np.sqrt(np.maximum(pieces**2 @ window - means**2 - noise_hz**2, 0.0)) / LOUD_HZ
    quiet, high = np.percentile(loud, (5, 90))
    if quiet > PAUSE_DEVIATION_SHARE * high:
        # What a lean might do stands as it did before the look.
        leans = float(np.asarray(CLASS_PRIORS) @ np.square(LEANS_HZ)) * float(
            np.mean(loud) ** 2 + np.mean(loud**2) ** 2
        )
        return Leaning(middle_hz, (sigma_hz**2 + leans) ** 0.5, 0.0, pauses=leans < sigma_hz**2)
    rows = np.stack([np.ones(count), loud, loud**2], axis=1)
    variance = OVERLAP_VARIANCE_FACTOR * _scatter(means, rows, sigma_hz, count)
    middles, variances, logs = [middle_hz], [sigma_hz**2], [_log_evidence(means, rows, variance, 0.0)]
    for lean_hz in LEANS_HZ[1:]:
        prior = np.diag([0.0, lean_hz**-2.0, lean_hz**-2.0])
        covariance = np.linalg.inv((rows / variance[:, None]).T @ rows + prior)
        solved = covariance @ (rows.T @ (means / variance))
        middles.append(middle_hz + float(solved[0]))
        variances.append(float(covariance[0, 0]))
        logs.append(_log_evidence(means, rows, variance, lean_hz))
    weights = np.asarray(CLASS_PRIORS) * np.exp(np.asarray(logs) - max(logs))
    weights /= weights.sum()
    middle = float(weights @ middles)
    spread = float(weights @ (np.asarray(variances) + (np.asarray(middles) - middle) ** 2))
    return Leaning(middle, spread**0.5, float(1 - weights[0]), pauses=True)


def _scatter(means: Floats, rows: Floats, sigma_hz: float, count: int) -> Floats:
    """Variance of each piece's mean: a constant part, and one proportional to the square of loudness."""
    from scipy.optimize import nnls

    min_variance = max(sigma_hz**2 * count / 4, MIN_HZ**2)
    variance = np.full(means.size, max(float(np.var(means)), min_variance))
    parts = np.stack([np.ones(means.size), rows[:, 1] ** 2], axis=1)
    for _ in range(4):
        weighted = rows / variance[:, None]
        gram = weighted.T @ rows + 1e-9 * np.eye(3)
        left = means - rows @ np.linalg.solve(gram, weighted.T @ means)
        # Each square scatters by twice the square of what it estimates.
        (still, moving), _ = nnls(parts / variance[:, None], left**2 / variance * means.size / (means.size - 3))
        variance = np.maximum(still + moving * parts[:, 1], min_variance)
    return np.asarray(variance)


def _log_evidence(means: Floats, rows: Floats, variance: Floats, lean_hz: float) -> float:
    """Log of the probability of the pieces' means, middle and lean integrated over; the middle's prior is flat."""
    prior = np.diag([1e-6, *(2 * [max(lean_hz, 1e-6) ** -2.0])])
    weighted = rows / variance[:, None]
    gram = weighted.T @ rows + prior
    seen = weighted.T @ means
    return float(0.5 * (np.linalg.slogdet(prior)[1] - np.linalg.slogdet(gram)[1] + seen @ np.linalg.solve(gram, seen)))
