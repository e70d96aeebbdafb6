"""Estimation of a carrier beside a known line, such as the DC spike or a mirror: both are fitted together."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import REFINEMENT_BLOCKS, Carrier, cramer_rao_hz
from yarddial.dsp.decimation import decimate, decimation_for
from yarddial.yard.errors import BadSamples, NoCarrier

Complex = NDArray[np.complex64]
Wide = NDArray[np.complex128]

# Closer than this to a known line, in bins, the two cannot be separated.
MIN_BINS = 0.7
# Search points per bin, and the level that a carrier must reach, dB.
POINTS_A_BIN, BESIDE_CNR_DB = 4, 12.0


def estimate_beside(
    samples: Complex, rate_hz: float, near_hz: float, within_hz: float, known_hz: Sequence[float]
) -> Carrier:
    """Estimate the strongest carrier other than the known lines, with all amplitudes fitted together.

    The known lines are projected out of the samples and of every trial carrier, so the likelihood is the carrier's
    alone [1]_. What they share with it is lost: the uncertainty grows as they come near, and that is counted.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
    rate_hz, near_hz, within_hz : float
        Sample rate; where to search, from the centre.
    known_hz : sequence of float
        Places of the other lines, from the centre, steady over the block; 0 for the spike.

    Raises
    ------
    BadSamples
        Fewer samples than 64 for each line.
    NoCarrier
        No carrier stands out but those.

    References
    ----------
    .. [1] Kay, Fundamentals of Statistical Signal Processing: Estimation Theory (1993), section 8.9 and example 15.13.
    """
    factor = decimation_for(rate_hz, max(within_hz, max((abs(k - near_hz) for k in known_hz), default=0.0)))
    while factor > 1 and samples.size // factor < 16 * REFINEMENT_BLOCKS:
        factor //= 2
    narrow = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    narrow_hz = rate_hz / factor
    count = narrow.size
    if count < 64 * (len(known_hz) + 1):
        raise BadSamples("the block is too short to tell lines apart: measure longer")
    # Known frequencies in cycles per sample.
    known = [(place - near_hz) / narrow_hz for place in known_hz]
    place, noise = _search(narrow, known, within_hz / narrow_hz)
    place, drift, amplitude, loss = _refine(narrow, known, place)
    snr = abs(amplitude) ** 2 * count * loss / noise
    snr_db = 10 * float(np.log10(max(snr, 1e-9)))
    if snr_db < BESIDE_CNR_DB:
        raise NoCarrier(
            f"no carrier stands out beside the lines known: the best candidate is {snr_db:.1f} dB above the noise "
            f"where {BESIDE_CNR_DB:.0f} dB would do; measure longer",
            best_hz=near_hz + place * narrow_hz,
            best_snr_db=snr_db,
            needed_db=BESIDE_CNR_DB,
        )
    duration_s = count / narrow_hz
    cn0 = abs(amplitude) ** 2 * count / noise / duration_s
    sigma = _sigma(known, place, count, abs(amplitude) ** 2 / noise) * narrow_hz
    floor = cramer_rao_hz(cn0, duration_s)
    return Carrier(
        near_hz + place * narrow_hz,
        max(sigma, floor),
        10 * float(np.log10(cn0)),
        samples.size / rate_hz,
        drift * narrow_hz**2,
        float(np.sqrt(90.0 / (np.pi**2 * cn0 * duration_s**5))),
    )


def _search(narrow: Complex, known: Sequence[float], within: float) -> tuple[float, float]:
    """Find the trial carrier, in cycles per sample, that explains most power; also return the noise per sample."""
    from scipy import fft

    count = narrow.size
    points = fft.next_fast_len(POINTS_A_BIN * count)
    lines = _lines(known, count)
    rest = narrow - lines @ np.linalg.lstsq(lines, narrow, rcond=None)[0]
    spectrum = fft.fft(rest.astype(np.complex64), points)
    turns = fft.fftfreq(points)
    height = np.abs(spectrum) ** 2
    inside = np.abs(turns) <= within
    for place in known:
        away = np.abs((turns - place + 0.5) % 1.0 - 0.5) * count
        inside &= away > MIN_BINS
        near = away < 4
        # Share of a trial carrier that remains after the known line is projected out.
        share = np.sinc(away[near]) ** 2
        height[near] /= np.maximum(1 - share, 0.05)
    if not inside.any():
        raise BadSamples("the place searched lies on a known line: search beside it")
    height[~inside] = -1.0
    at = int(np.argmax(height))
    around = np.abs((turns - turns[at] + 0.5) % 1.0 - 0.5) * count
    noise = float(np.median(np.abs(spectrum[(around > 6) & (around < 2_000)]) ** 2)) / np.log(2) / count
    return float(turns[at]), max(noise, 1e-30)


def _lines(known: Sequence[float], count: int) -> Wide:
    index = np.arange(count) - (count - 1) / 2
    return np.exp(2j * np.pi * np.outer(index, np.asarray(known)))


def _refine(narrow: Complex, known: Sequence[float], place: float) -> tuple[float, float, complex, float]:
    """Refine frequency and drift; return them with the amplitude and the carrier's unshared part."""
    from scipy.optimize import minimize

    count = narrow.size
    edges = np.linspace(0, count, min(REFINEMENT_BLOCKS, count) + 1).astype(int)
    index = np.arange(count) - (count - 1) / 2
    mixed = narrow.astype(np.complex128) * np.exp(-2j * np.pi * ((place * index) % 1.0))
    sums = np.add.reduceat(mixed, edges[:-1])
    u = ((edges[:-1] + edges[1:] - 1) / 2 - (count - 1) / 2) / count
    size = np.diff(edges)
    # A line rotates within a block, which weakens it there.
    offsets = np.asarray(known) - place
    lines = np.exp(2j * np.pi * count * np.outer(u, offsets)) * np.sinc(np.outer(size, offsets)) * size[:, None]
    basis, _ = np.linalg.qr(lines) if lines.size else (np.zeros((size.size, 0), complex), None)
    sums = sums - basis @ (basis.conj().T @ sums)

    def own(point: NDArray[np.float64]) -> Wide:
        trial = size * np.exp(2j * np.pi * (point[0] * u + point[1] * (u**2 - np.mean(u**2))))
        return np.asarray(trial - basis @ (basis.conj().T @ trial))

    def height(point: NDArray[np.float64]) -> float:
        trial = own(point)
        return -float(abs(np.vdot(trial, sums)) ** 2 / np.vdot(trial, trial).real)

    scale = -1.0 / min(height(np.zeros(2)), -1e-30)

    def scaled(point: NDArray[np.float64]) -> float:
        return scale * height(point)

    simplex = np.array([[0.0, 0.0], [0.12, 0.0], [0.0, 0.12]])
    minimum = minimize(
        scaled, np.zeros(2), method="Nelder-Mead",
        options={"initial_simplex": simplex, "xatol": 1e-7, "fatol": 1e-13, "maxiter": 400},
    ).x  # fmt: skip
    trial = own(minimum)
    energy = float(np.vdot(trial, trial).real)
    amplitude = complex(np.vdot(trial, sums)) / energy
    loss = energy / float(np.sum(size.astype(float) ** 2))
    # The phase is pi r u^2 count^2, so the second coefficient is r count^2 / 2 in cycles.
    return place + float(minimum[0]) / count, 2 * float(minimum[1]) / count**2, amplitude, loss


def _sigma(known: Sequence[float], place: float, count: int, snr: float) -> float:
    """Cramer-Rao bound of the frequency in cycles per sample, with drift, both amplitudes and phases unknown."""
    pieces = min(count, 4 * REFINEMENT_BLOCKS)
    u = (np.arange(pieces) + 0.5) / pieces - 0.5
    carrier = np.ones(pieces, complex)
    columns = [2j * np.pi * u * carrier, 2j * np.pi * (u**2 - np.mean(u**2)) * carrier, carrier, 1j * carrier]
    for line in known:
        other = np.exp(2j * np.pi * count * (line - place) * u)
        columns += [other, 1j * other]
    slopes = np.stack(columns, axis=1)
    information = 2 * snr * count / pieces * (slopes.conj().T @ slopes).real
    return float(np.sqrt(np.linalg.inv(information)[0, 0])) / count
