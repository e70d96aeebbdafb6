"""FM whose mean shifts with loudness, because a limiter clips one side; its centre is taken from speech pauses."""

import msgspec
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
# Length of the half-overlapping Hann pieces: speech, from 200 Hz on, averages out in one.
PIECE_S = 0.04
# Half-overlapping Hann pieces of white noise have the variance of three quarters as many separate ones.
OVERLAP_VARIANCE_FACTOR = 4 / 3
# Upper limit of speech, up to which loudness is measured; hertz. Loudness is counted in kilohertz.
TOP_HZ, LOUD_HZ = 3_400.0, 1_000.0
# Prior probability of each class: most transmitters are even, some shift by hertz per kilohertz of deviation, a few by
# tens, and one that clips one side by hundreds.
CLASS_PRIORS = (0.75, 0.12, 0.08, 0.05)
LEANS_HZ = (0.0, 3.0, 30.0, 300.0)
# There are pauses where the quietest twentieth of the pieces has less than this share of the loud tenth's deviation.
PAUSE_DEVIATION_SHARE = 0.35
# Minimum number of pieces, and the least sigma of one.
MIN_PIECES, MIN_HZ = 6, 1e-3


class Leaning(msgspec.Struct, frozen=True):
    """Centre averaged over the classes of transmitters.

    odds : probability of a shift. pauses : whether speech pauses could show one.
    """

    middle_hz: float
    sigma_hz: float
    odds: float
    pauses: bool


def judge_lean(hertz: Floats, rate_hz: float, middle_hz: float, sigma_hz: float, noise_hz: float) -> Leaning:
    """Estimate the centre of a narrow FM signal whose mean frequency may shift with its loudness.

    The mean of a piece is middle + a s + b s^2 with loudness s; the priors of a and b follow the class of transmitter.
    Without pauses to show a shift, the uncertainty includes it.

    Parameters
    ----------
    hertz : ndarray, shape (n,)
        Instantaneous frequency.
    rate_hz : float
        Its sample rate.
    middle_hz, sigma_hz : float
        Plain mean and its uncertainty, valid without a shift.
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
        # Without pauses the shift keeps its prior uncertainty.
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
        # A square scatters by twice the square of its expectation.
        (still, moving), _ = nnls(parts / variance[:, None], left**2 / variance * means.size / (means.size - 3))
        variance = np.maximum(still + moving * parts[:, 1], min_variance)
    return np.asarray(variance)


def _log_evidence(means: Floats, rows: Floats, variance: Floats, lean_hz: float) -> float:
    """Log evidence of the pieces' means, integrated over centre and shift with a flat prior for the centre."""
    prior = np.diag([1e-6, *(2 * [max(lean_hz, 1e-6) ** -2.0])])
    weighted = rows / variance[:, None]
    gram = weighted.T @ rows + prior
    seen = weighted.T @ means
    return float(0.5 * (np.linalg.slogdet(prior)[1] - np.linalg.slogdet(gram)[1] + seen @ np.linalg.solve(gram, seen)))
