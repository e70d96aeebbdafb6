"""Intermodulation made by the receiver itself: the part of a channel that follows the cube of the whole span."""

import numpy as np
from numpy.typing import NDArray

# Lines within this many dB of the total power make the products; exclude them and their neighbours.
STRONG_DB, NEIGHBOUR_BINS = 25.0, 6
# Ignore a cubic term below this many sigma.
MIN_CUBIC_SIGMAS = 4.0
# k P at 1 dB compression. Above it the cube does not explain all, so all of the channel counts as products.
COMPRESSION_1_DB = 0.11
# Rounds of reweighting, and passes that reconstruct the input from the output.
WEIGHING_ROUNDS, SUBTRACTION_PASSES = 4, 2
# Cells over which signal strength is evaluated, independent of length.
STRENGTH_CELLS = 4096
SPAN_SHARE, BESIDE_HZ = 0.42, 150e3


def products_in_channel(samples: NDArray[np.complex64], rate_hz: float, offset_hz: float, width_hz: float) -> float:
    """Power of third-order products within a channel, full scale squared; 0 where none is certain.

    With y = x + k x |x|^2 the part u = x (|x|^2 - 2 mean |x|^2) holds every product of the third order and what strong
    signals' modulation does to weak ones, but not the weak signals themselves, whose linear part 2 P x is taken off.
    Outside the strong lines y goes with u only by k, so k is their regression, and the channel's products are
    |k|^2 times u's power there. Coherent, it sees products far below the noise [1]_.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Full scale 1; n >= 4096.
    rate_hz, offset_hz, width_hz : float
        Of the samples; of the channel, from the centre.

    Notes
    -----
    Signals outside the span that bend the receiver are not seen. Full samples make higher orders, which go with the
    cube only in part.

    References
    ----------
    .. [1] Schetzen, The Volterra and Wiener Theories of Nonlinear Systems (1980), section 5: regression on a kernel.
    """
    import scipy.fft

    size = samples.size // STRENGTH_CELLS * STRENGTH_CELLS
    y = samples[:size]
    window = np.hanning(size).astype(np.float32)
    heard = scipy.fft.fft(y * window)
    hertz = np.fft.fftfreq(size, 1 / rate_hz)
    weak = _weak(heard, size) & (np.abs(hertz) < SPAN_SHARE * rate_hz)
    x, k, variance = y, 0j, 1e30
    for _ in range(SUBTRACTION_PASSES):
        # The cube of y would contain products of products, so recover x first.
        for _ in range(SUBTRACTION_PASSES):
            x = y - np.complex64(k) * x * np.abs(x) ** 2
        power = np.abs(x) ** 2
        cube = scipy.fft.fft(x * (power - np.float32(2 * power.mean())) * window)
        k, variance = _part(heard, cube, weak)
    if abs(k) ** 2 < MIN_CUBIC_SIGMAS**2 * variance:
        return 0.0
    inside = np.abs(hertz - offset_hz) <= width_hz / 2
    scale = size * float((window**2).sum())
    if abs(k) * float(power.mean()) > COMPRESSION_1_DB:
        return float((np.abs(heard[inside]) ** 2).sum()) / scale
    return (abs(k) ** 2 - variance) * float((np.abs(cube[inside]) ** 2).sum()) / scale


def _part(heard: NDArray[np.complex64], cube: NDArray[np.complex64], weak: NDArray[np.bool_]) -> tuple[complex, float]:
    """Weighted least squares of one signal on another: the factor and its variance.

    Bins of real signals stay in the residual and lose weight; bins of products are explained and keep it.
    """
    k, variance = 0j, 1e30
    cubes = np.abs(cube) ** 2
    # Start with equal weights: with weights from the signal alone, product bins would never gain weight.
    left = np.ones(STRENGTH_CELLS, np.float32)
    for _ in range(WEIGHING_ROUNDS):
        weight = np.where(weak, np.repeat(1 / np.maximum(left, np.float32(1e-20)), cube.size // STRENGTH_CELLS), 0.0)
        energy = float((weight * cubes).sum())
        if energy <= 0:
            return 0j, 1e30
        k = complex((weight * cube.conj() * heard).sum()) / energy
        variance = 1 / energy
        left = (np.abs(heard - np.complex64(k) * cube) ** 2).reshape(STRENGTH_CELLS, -1).mean(axis=1)
    return k, variance


def _weak(heard: NDArray[np.complex64], size: int) -> NDArray[np.bool_]:
    """Select the bins away from strong lines."""
    cells = (np.abs(heard) ** 2).reshape(STRENGTH_CELLS, -1).sum(axis=1)
    strong = cells > cells.sum() * 10 ** (-STRONG_DB / 10)
    for _ in range(NEIGHBOUR_BINS):
        strong = strong | np.roll(strong, 1) | np.roll(strong, -1)
    return np.repeat(~strong, size // STRENGTH_CELLS)


def clipping_in_channel(
    samples: NDArray[np.complex64], gain_db: float, rate_hz: float, offset_hz: float, width_hz: float
) -> float:
    """Power that clipping would make in a channel beyond what it spreads about, if clear samples came in stronger.

    The samples are raised and clipped by arithmetic; what is left of the channel when its own part is taken off is the
    clipping's. So a full converter is judged from samples in which nothing is clipped. What it spreads evenly is seen
    in the floor beside the channel, and not counted here.

    samples : ndarray of complex64, shape (n,), none at full scale. gain_db : by how much more would come in.
    """
    import scipy.fft

    raised = samples * np.float32(10 ** (gain_db / 20))
    clipped = np.clip(raised.view(np.float32), -1.0, 1.0).view(np.complex64)
    hertz = np.abs(np.fft.fftfreq(samples.size, 1 / rate_hz) - offset_hz)
    window = np.hanning(samples.size).astype(np.float32)
    clear, bent = (scipy.fft.fft(each * window) for each in (raised, clipped))
    inside, beside = hertz <= width_hz / 2, (hertz > width_hz) & (hertz < BESIDE_HZ)
    energy = float(np.vdot(clear[inside], clear[inside]).real)
    part = complex(np.vdot(clear[inside], bent[inside])) / energy if energy > 0 else 0.0
    left = np.abs(bent - part * clear) ** 2
    # The median of a noise spectrum's bins is ln 2 times their mean.
    even = float(np.median(left[beside])) / float(np.log(2)) if beside.any() else 0.0
    product_power = float(left[inside].sum()) - even * int(inside.sum())
    return max(product_power, 0.0) / (samples.size * float((window**2).sum()))
