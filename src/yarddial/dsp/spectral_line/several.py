"""Joint fit of several lines: their frequencies and amplitudes together."""

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import OtherLine
from yarddial.dsp.decimation import decimate, decimation_for
from yarddial.dsp.spectral_line.blocks import MIN_BLOCKS, Record
from yarddial.dsp.spectral_line.explanation import Explanation

Wide = NDArray[np.complex128]
Floats = NDArray[np.float64]

# Stop after this many steps, or when a step gains less energy over noise than this.
MAX_ROUNDS, MIN_ENERGY_GAIN = 40, 0.01
# Decimate to this many bins beside the lines, but to no fewer samples than this.
EDGE_BINS, MIN_SAMPLES = 30, 1_024
# Maximum number of lines; energy over noise that one more requires (noise alone: under 1 in 10,000).
MAX_LINES, MIN_LINE_ENERGY = 4, 17.0
# Start a pair of lines at these distances from the strongest bin.
PAIR_STARTS_BINS = ((-0.7, 0.7), (-0.4, 1.2), (0.4, -1.2))
# Minimum separation of two lines, and of more than two, bins.
MIN_DISTANCE_TWO_BINS, MIN_DISTANCE_MORE_BINS = 1.4, 1.8
# Search for a second line within this range, and this far beside the search range. Log prior odds against one more
# line; they include the loss between grid steps of the other models.
RANGE_HZ, ROOM_HZ, LINE_LOG_PENALTY = 100.0, 40.0, 14.0


class Joint:
    """Lines fitted together to a slice: frequencies in hertz, complex amplitudes, covariance and residual.

    places_hz : shape (lines,); sizes : complex, shape (lines,); sigma_hz : shape (lines,)
    gain : energy over noise that the fit explains; left : residual samples, noise in units of its density.
    """

    def __init__(self, places_hz: Floats, sizes: Wide, sigma_hz: Floats, gain: float, still: Wide) -> None:
        self.places_hz, self.sizes, self.sigma_hz, self.gain, self.rest = places_hz, sizes, sigma_hz, gain, still


def fit_lines(
    samples: Wide, rate_hz: float, places_hz: list[float], density: float, fixed_hz: tuple[float, ...] = ()
) -> Joint:
    """Fit lines together by Gauss-Newton steps with the amplitudes projected out.

    samples : complex, shape (n,); density : noise power per hertz; fixed_hz : lines of known frequency.
    """
    places = np.array([*places_hz, *fixed_hz])
    free = len(places_hz)
    slow, slow_hz = _slowed(samples, rate_hz, float(np.max(np.abs(places))))
    if free:
        places = _climbed(slow, slow_hz, places, free, density)
    whole = _Lines(samples, rate_hz)
    waves, sizes, rest, power = whole.solved(places)
    slopes = whole.slopes(waves, sizes, free)
    information = 2 * (slopes.conj().T @ slopes).real / (density * rate_hz)
    sigma_hz = np.sqrt(np.maximum(np.diag(np.linalg.pinv(information)), 0.0)) if free else np.empty(0)
    gain = (float(np.vdot(samples, samples).real) - power) / (density * rate_hz)
    return Joint(places, sizes, sigma_hz, gain, rest)


class _Lines:
    """Samples, and complex exponentials fitted to them."""

    def __init__(self, samples: Wide, rate_hz: float) -> None:
        self.samples = samples
        self.time_s = (np.arange(samples.size) - (samples.size - 1) / 2) / rate_hz

    def solved(self, at: Floats) -> tuple[Wide, Wide, Wide, float]:
        """Exponentials, their amplitudes, the residual and its power."""
        waves: Wide = np.exp(2j * np.pi * np.outer(self.time_s, at))
        turned = waves.conj().T
        normal = turned @ waves + 1e-9 * self.samples.size * np.eye(at.size)
        sizes = np.asarray(np.linalg.solve(normal, turned @ self.samples), complex)
        rest: Wide = self.samples - waves @ sizes
        return waves, sizes, rest, float(np.vdot(rest, rest).real)

    def slopes(self, waves: Wide, sizes: Wide, free: int) -> Wide:
        """Derivatives by frequency, orthogonal to the amplitudes."""
        slopes = (2j * np.pi * self.time_s[:, None] * waves[:, :free]) * sizes[:free]
        turned = waves.conj().T
        normal = turned @ waves + 1e-9 * waves.shape[0] * np.eye(waves.shape[1])
        return np.asarray(slopes - waves @ np.linalg.solve(normal, turned @ slopes))


def _slowed(samples: Wide, rate_hz: float, reach_hz: float) -> tuple[Wide, float]:
    """Decimate to as few samples as hold the lines."""
    factor = decimation_for(rate_hz, reach_hz + EDGE_BINS * rate_hz / samples.size)
    while factor > 1 and samples.size // factor < MIN_SAMPLES:
        factor //= 2
    if factor == 1:
        return samples, rate_hz
    return decimate(samples.astype(np.complex64), rate_hz, 0.0, factor).astype(np.complex128), rate_hz / factor


def _climbed(samples: Wide, rate_hz: float, places: Floats, free: int, density: float) -> Floats:
    """Optimise the frequencies with Levenberg damping."""
    lines, damping = _Lines(samples, rate_hz), 1e-3
    waves, sizes, rest, power = lines.solved(places)
    for _ in range(MAX_ROUNDS):
        slopes = lines.slopes(waves, sizes, free)
        information = (slopes.conj().T @ slopes).real
        damped = information + damping * np.diag(np.diag(information) + 1e-30)
        step = np.linalg.solve(damped, (slopes.conj().T @ rest).real)
        moved = places.copy()
        moved[:free] += np.clip(step, -0.5 / lines.time_s[-1], 0.5 / lines.time_s[-1])
        tried = lines.solved(moved)
        if tried[3] <= power:
            done = power - tried[3] < MIN_ENERGY_GAIN * density * rate_hz
            places, (waves, sizes, rest, power) = moved, tried
            damping = max(damping / 5, 1e-9)
            if done:
                break
        else:
            damping *= 8
            if damping > 1e6:
                break
    return places


def strongest(
    rest: Wide, rate_hz: float, within_hz: float, apart_hz: float, from_hz: Floats, density: float
) -> tuple[float, float]:
    """Strongest bin of the residual away from the lines found: its frequency and its power over the noise."""
    from scipy import fft

    points = fft.next_fast_len(2 * rest.size)
    power = np.abs(fft.fft(rest, points)) ** 2
    hertz = fft.fftfreq(points, 1 / rate_hz)
    allowed = np.abs(hertz) <= within_hz
    for place in from_hz:
        allowed &= np.abs(hertz - place) > apart_hz
    if not allowed.any():
        return 0.0, 0.0
    at = int(np.argmax(np.where(allowed, power, -1.0)))
    floor = density * rate_hz * rest.size
    return float(hertz[at]), float(power[at]) / floor


def explain_several(record: Record, start_hz: float, within_hz: float, density: float) -> list[Explanation]:
    """Explain by two, three and four lines while the residual holds another."""
    still = record.still(start_hz).astype(np.complex128)
    bin_hz = 1 / record.duration_s
    fit = fit_lines(still, record.rate_hz, [0.0], density)
    explanations: list[Explanation] = []
    for number in range(2, MAX_LINES + 1):
        reach_hz = min(within_hz + ROOM_HZ, record.clean_hz - abs(start_hz))
        place, power = strongest(fit.rest, record.rate_hz, reach_hz, 0.6 * bin_hz, fit.places_hz, density)
        if power < MIN_LINE_ENERGY:
            break
        starts = [[*fit.places_hz, place]]
        if number == 2:
            # When two lines overlap, the strongest bin is between them.
            starts += [[a * bin_hz, b * bin_hz] for a, b in PAIR_STARTS_BINS]
        tried = [fit_lines(still, record.rate_hz, places, density) for places in starts]
        apart = MIN_DISTANCE_TWO_BINS if number == 2 else MIN_DISTANCE_MORE_BINS
        tried = [candidate for candidate in tried if np.min(np.diff(np.sort(candidate.places_hz))) >= apart * bin_hz]
        best = max(tried, key=lambda candidate: candidate.gain, default=None)
        if best is None or best.gain < fit.gain + MIN_LINE_ENERGY / 2:
            break
        fit = best
        explanations.append(_explained(record, fit, start_hz, density))
    return explanations


def without_known(record: Record, carrier_hz: list[float], known_hz: list[float]) -> Record:
    """Remove lines of known frequency from the slice; fit the carrier beside them if one is given."""
    place_hz = (carrier_hz or known_hz)[0]
    density = record.noise_density(record.still(place_hz), place_hz)
    samples = record.narrow.astype(np.complex128)
    fit = fit_lines(samples, record.rate_hz, carrier_hz, density, tuple(known_hz))
    time_s = (np.arange(samples.size) - (samples.size - 1) / 2) / record.rate_hz
    known = np.exp(2j * np.pi * np.outer(time_s, known_hz)) @ fit.sizes[len(carrier_hz) :]
    return Record((samples - known).astype(np.complex64), record.rate_hz, record.clean_hz, record.record_s)


def _explained(record: Record, fit: Joint, start_hz: float, density: float) -> Explanation:
    order = np.argsort(-np.abs(fit.sizes))
    main, rest = int(order[0]), [int(index) for index in order[1:]]
    signal = np.abs(fit.sizes) ** 2 / density * record.duration_s
    log = (
        fit.gain - np.log(MIN_BLOCKS) + 0.5 * np.log(2 * np.pi * fit.sigma_hz[main] ** 2) - LINE_LOG_PENALTY * len(rest)
    )
    for line in rest:
        log -= np.log(1 + signal[line])
        log += min(float(np.log(np.sqrt(2 * np.pi) * fit.sigma_hz[line] / (2 * RANGE_HZ))), 0.0)
    blocks = Record(fit.rest.astype(np.complex64), record.rate_hz, record.clean_hz).blocks(
        start_hz * 0 + float(fit.places_hz[main]), 0.0, density
    )
    few = blocks.condensed(96)
    others = tuple(
        OtherLine(
            float(fit.places_hz[line]), float(fit.sigma_hz[line]),
            float(20 * np.log10(abs(fit.sizes[line]) / abs(fit.sizes[main]))),
        )
        for line in rest
    )  # fmt: skip
    freedom = 2 * few.means.size - 4 * order.size
    return Explanation(
        "lines", float(log), float(fit.places_hz[main]), float(fit.sigma_hz[main] ** 2), 2 * few.energy / freedom,
        freedom, others=others, signal=float(signal[main]),
    )  # fmt: skip
