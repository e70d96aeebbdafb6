"""Frequency of a steady carrier, at the limit set by noise."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import CLEAN_FRACTION, TAPS_A_SAMPLE, decimate, decimation_for
from yarddial.dsp.phasor import phasor
from yarddial.dsp.spectra import long_transform
from yarddial.yard.errors import BadSamples, NoCarrier
from yarddial.yard.frequency import format_hertz

Complex = NDArray[np.complex64]
Floats = NDArray[np.float64]

MIN_SAMPLES = 64
# Number of block sums for the last refinement. The carrier is within a quarter bin by then, so no power is lost.
REFINEMENT_BLOCKS = 256
# Probability that noise alone passes as a carrier.
FALSE_ALARM = 1e-3
# Independent trials per bin when maximising over frequency and drift (counted on 3,000 blocks of noise: 6 to 8).
TRIES_PER_BIN = 8
# Above the first share of samples at full scale products of strong signals stand where signals do, and it is said. A
# carrier itself keeps its place; above the second too little of it is left to trust that.
CLIPPED_SHARE, MAX_CLIPPED_SHARE = 1e-3, 0.05


class OtherLine(msgspec.Struct, frozen=True):
    """A further line in the same record: frequency, uncertainty, and level relative to the measured line, dB."""

    frequency_hz: float
    sigma_hz: float
    level_db: float


class Carrier(msgspec.Struct, frozen=True):
    """A carrier found: its frequency at the middle of the block, relative to the centre, and how sure that is.

    sigma_hz : one-sigma uncertainty from the noise around the carrier.
    cn0_dbhz : carrier to noise density.
    drift_hz_per_s, drift_sigma : change of frequency over the block, and its uncertainty.
    method : the model that it was measured by: steady, drifting, fading, or beside a known line.
    spread_hz : of a fading line, the standard deviation of its power over frequency.
    is_adequate : whether the model leaves no more than noise; remark : what a person should know, or nothing.
    others : further lines in the same record.
    residual : level over its mean and phase in radians of successive blocks, the line and its drift taken off.
    lost : samples known to be missing from the record.
    """

    frequency_hz: float
    sigma_hz: float
    cn0_dbhz: float
    duration_s: float
    drift_hz_per_s: float
    drift_sigma: float
    method: str = "steady"
    spread_hz: float = 0.0
    is_adequate: bool = True
    remark: str = ""
    others: tuple[OtherLine, ...] = ()
    residual: tuple[tuple[float, float], ...] = ()
    lost: int = 0


def estimate_carrier(samples: Complex, rate_hz: float, near_hz: float = 0.0, within_hz: float | None = None) -> Carrier:
    """Estimate the frequency of the strongest carrier in a block of complex samples.

    Maximum likelihood: the periodogram's maximum on bins and half bins [1]_, refined by Newton's method on block
    sums in float64, frequency and its rate of change together. At the middle of the block the two do not disturb
    each other, so a steady carrier loses nothing by it.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0; n >= 64.
    rate_hz : float
        Complex sample rate.
    near_hz, within_hz : float
        Search only near_hz +- within_hz (relative to the centre). By default the whole span but its very centre,
        where many receivers have a spike of their own.

    Returns
    -------
    Carrier

    Raises
    ------
    BadSamples
        Too few, not finite, or clipped.
    NoCarrier
        No line stands out: the message gives the best candidate and the level that would have sufficed.

    Notes
    -----
    sigma is the Cramer-Rao bound sqrt(6 / ((2 pi)^2 C/N0 T^3)) with the C/N0 found. The search assumes less than a
    bin of drift over the block.

    References
    ----------
    .. [1] Rife & Boorstyn, IEEE Trans. IT-20 (1974) 591-598, eq. (8) and (20).
    """
    check_samples(samples, rate_hz, near_hz, within_hz)
    where = "in the whole span"
    if within_hz is not None:
        where = f"within {format_hertz(within_hz, signed=False)} of the place searched"
    if within_hz is None:
        near_hz = _loudest(samples, rate_hz)
        # Search two bins to either side: refine only.
        within_hz = 2.0 * rate_hz / samples.size
        searched = samples.size
        slice_hz = max(within_hz, 64 * rate_hz / samples.size)
    else:
        searched = max(int(2 * within_hz * samples.size / rate_hz), 1)
        slice_hz = within_hz
    factor = _fitting_factor(samples.size, rate_hz, slice_hz)
    narrow = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    _require_live(narrow)
    clean_hz = (CLEAN_FRACTION if factor > 1 else 0.49) * rate_hz / factor
    carrier = _estimate_narrow(narrow, rate_hz / factor, within_hz, TRIES_PER_BIN * searched, clean_hz, where)
    return Carrier(
        carrier.frequency_hz + near_hz,
        carrier.sigma_hz,
        carrier.cn0_dbhz,
        samples.size / rate_hz,
        carrier.drift_hz_per_s,
        carrier.drift_sigma,
    )


def cramer_rao_hz(cn0_hz: float, duration_s: float) -> float:
    """One-sigma bound on the frequency of one complex tone [1]_: sqrt(6 / ((2 pi)^2 C/N0 T^3)), hertz.

    References
    ----------
    .. [1] Rife & Boorstyn, IEEE Trans. IT-20 (1974) 591-598, for many samples.
    """
    return float(np.sqrt(6.0 / ((2 * np.pi) ** 2 * cn0_hz * duration_s**3)))


def check_samples(samples: Complex, rate_hz: float, near_hz: float, within_hz: float | None) -> None:
    if samples.size < MIN_SAMPLES:
        raise BadSamples(f"{samples.size} samples are too few to find a carrier in: at least {MIN_SAMPLES} are needed")
    if within_hz is not None and not within_hz > 0:
        raise BadSamples("the search must have a width above 0 Hz")
    if abs(near_hz) > rate_hz / 2:
        raise BadSamples(
            f"the place to search lies {format_hertz(near_hz)} from the centre, outside the {rate_hz:g} Hz recorded"
        )
    some = _excerpt(samples).view(np.float32)
    if (clipped := clipped_share(samples)) > MAX_CLIPPED_SHARE:
        raise BadSamples(f"{clipped:.1%} of the samples are at full scale: lower the gain and measure again")
    if bool(np.all(some[::2] == some[0]) and np.all(some[1::2] == some[1])):
        raise BadSamples("all samples are alike: the receiver or the recording is silent")


def clipped_share(samples: Complex) -> float:
    """Share of the components at full scale, of an excerpt."""
    return float(np.mean(np.abs(_excerpt(samples).view(np.float32)) >= 0.99))


def clipping_remark(share: float, remark: str) -> str:
    """Remark on a measured carrier with what clipping means for it; the remark alone where there is next to none."""
    if share <= CLIPPED_SHARE:
        return remark
    clipping = (
        f"{share:.1%} of the samples are at full scale: lower the gain, products of strong ones look like carriers"
    )
    return f"{clipping}; {remark}" if remark else clipping


def _excerpt(samples: Complex, pieces: int = 16, length: int = 8192) -> Complex:
    """Take a few short pieces spread over a long block: enough to characterise it at a tenth of the cost."""
    if samples.size <= 2 * pieces * length:
        return np.ascontiguousarray(samples)
    starts = np.linspace(0, samples.size - length, pieces).astype(int)
    return np.concatenate([samples[start : start + length] for start in starts])


def _require_live(narrow: Complex) -> None:
    """Refuse a constant or non-finite block; one bad value spreads over a whole filter length."""
    power = float(np.vdot(narrow, narrow).real)
    if not np.isfinite(power):
        raise BadSamples("the samples hold values that are not finite: the recording is damaged")


def _fitting_factor(count: int, rate_hz: float, half_width_hz: float) -> int:
    """Choose the largest decimation that leaves enough samples for the filter's ends not to matter."""
    factor = decimation_for(rate_hz, half_width_hz)
    while factor > 1 and count // factor < 64 * TAPS_A_SAMPLE:
        factor //= 2
    return factor


def _loudest(samples: Complex, rate_hz: float) -> float:
    """Find the strongest bin or half bin of the whole span, in hertz."""
    spectrum = long_transform(samples)
    count = spectrum.size
    # Ignore the receiver's DC spike; a constant falls into this bin only.
    spectrum[0] = 0.0
    power = spectrum.real**2 + spectrum.imag**2
    # A carrier between two bins loses 3.9 dB in each, and is still far above this; e^-6.5 of the noise bins pass.
    threshold = 6.5 * float(np.median(power[:: max(1, count // 20_000)])) / np.log(2)
    above = np.flatnonzero(power > threshold)
    if above.size == 0:
        above = np.array([int(np.argmax(power))])
    beside = np.unique(np.concatenate([above, above - 1])) % count
    # Half bins from their neighbours: |X_k - X_k+1| pi/4 to first order; the best few are then computed exactly.
    difference = (spectrum[(beside + 1) % count] - spectrum[beside]) * (np.pi / 4)
    between = difference.real**2 + difference.imag**2
    best = int(above[np.argmax(power[above])])
    turns, height = best / count, float(power[best])
    for i in np.argsort(between)[-3:]:
        halfway = (int(beside[i]) + 0.5) / count
        exact = _exact_power(samples[:count], halfway)
        if exact > height:
            turns, height = halfway, exact
    return float((turns - 1 if turns >= 0.5 else turns) * rate_hz)


def _exact_power(samples: Complex, turns: float) -> float:
    """Power of the Fourier transform at arbitrary frequencies, as one matrix product and a short sum."""
    width = 4096
    rows = samples.size // width
    time = np.arange(max(width, rows))
    body = samples[: rows * width].reshape(rows, width) @ np.exp(-2j * np.pi * turns * time[:width]).astype(
        np.complex64
    )
    total = np.sum(body * np.exp(-2j * np.pi * ((turns * width * time[:rows]) % 1.0)))
    tail = samples[rows * width :]
    total += np.sum(tail * np.exp(-2j * np.pi * ((turns * np.arange(rows * width, samples.size)) % 1.0)))
    return float(abs(total) ** 2)


def _estimate_narrow(
    narrow: Complex, rate_hz: float, within_hz: float, cells: int, clean_hz: float, where: str
) -> Carrier:
    from scipy import fft

    count = narrow.size
    # Zero-pad to twice the length: bins and half bins in one transform.
    points = fft.next_fast_len(2 * count)
    step_hz = rate_hz / points
    spectrum = fft.fft(narrow, points)
    reach = min(max(int(within_hz / step_hz), 4), points // 2 - 1)
    searched = np.concatenate([spectrum[points - reach :], spectrum[: reach + 1]])
    best_hz = (int(np.argmax(searched.real**2 + searched.imag**2)) - reach) * step_hz
    line = _refine(narrow, rate_hz, best_hz)
    residual = fft.fft(line.residual, fft.next_fast_len(count))
    noise = _noise_power(residual, (-clean_hz - best_hz) / rate_hz, (clean_hz - best_hz) / rate_hz)
    snr = abs(line.amplitude) ** 2 * count**2 / max(noise, 1e-30)
    _require_line(snr, cells, where, best_hz)
    duration = count / rate_hz
    # The measured power is carrier plus noise in one bin.
    cn0 = max(snr - 1.0, 1.0) / duration
    drift_sigma = float(np.sqrt(90.0 / (np.pi**2 * cn0 * duration**5)))
    return Carrier(
        line.frequency_hz,
        cramer_rao_hz(cn0, duration),
        float(10 * np.log10(cn0)),
        duration,
        line.drift_hz_per_s,
        drift_sigma,
    )


def _require_line(snr: float, cells: int, where: str, best_hz: float) -> None:
    # Noise cells are exponential: the maximum of n exceeds ln(n / alarm) with that probability.
    needed_db = 10 * float(np.log10(np.log(cells / FALSE_ALARM)))
    snr_db = 10 * float(np.log10(max(snr, 1e-9)))
    if not snr_db > needed_db:
        raise NoCarrier(
            f"no carrier stands out {where}: the best candidate is {snr_db:.1f} dB above the noise where "
            f"{needed_db:.1f} dB would do; measure longer, search nearer, or raise the signal",
            best_hz=best_hz,
            best_snr_db=snr_db,
            needed_db=needed_db,
        )


def _noise_power(residual_spectrum: Complex, from_turns: float, to_turns: float) -> float:
    """Noise power in one bin from the median around the carrier at zero (exponential: mean = median / ln 2).

    Only bins between from_turns and to_turns count: a decimating filter has removed noise further out.
    """
    size = residual_spectrum.size
    low, high = max(-2000, round(from_turns * size)), min(2000, round(to_turns * size))
    around = np.arange(low, high + 1)
    values = residual_spectrum[around[np.abs(around) > min(4, size // 16)]]
    return float(np.median(values.real**2 + values.imag**2) / np.log(2))


class _Line(msgspec.Struct, frozen=True):
    frequency_hz: float
    drift_hz_per_s: float
    amplitude: complex
    residual: Complex


def _refine(narrow: Complex, rate_hz: float, start_hz: float) -> _Line:
    """Maximise the likelihood on block sums in float64: first over frequency, then over frequency and drift."""
    count = narrow.size
    mixed = narrow * phasor(-start_hz / rate_hz, 0, count)
    edges = np.linspace(0, count, min(REFINEMENT_BLOCKS, count) + 1).astype(int)
    sums = np.add.reduceat(mixed.astype(np.complex128), edges[:-1])
    # Time in units of the block length, from -1/2 to 1/2.
    u = ((edges[:-1] + edges[1:] - 1) / 2 - (count - 1) / 2) / count
    basis = 2 * np.pi * np.stack([u, u**2 - np.mean(u**2)])
    steady = _climb(sums, basis[:1], np.zeros(1))
    both = _climb(sums, basis, np.append(steady, 0.0))
    # A drift of more than a bin, or a maximum in another bin, is noise; see the Notes of `estimate_carrier`.
    if abs(both[0] - steady[0]) > 0.75 or abs(both[1]) > 1.0:
        both = np.append(steady, 0.0)
    phase = np.exp(-1j * (both @ basis))
    amplitude = complex(np.sum(sums * phase) / count)
    # Subtract the carrier block by block: the remainder is 50 dB down and confined to a few bins.
    model = np.repeat((amplitude * np.conj(phase)).astype(np.complex64), np.diff(edges))
    length = count / rate_hz
    # The u^2 coefficient is half the drift: phase = 2 pi (f u T + r u^2 T^2 / 2).
    return _Line(start_hz + float(both[0]) / length, 2 * float(both[1]) / length**2, amplitude, mixed - model)


def _climb(sums: NDArray[np.complex128], basis: Floats, point: Floats) -> Floats:
    """Maximise |S|^2 by Newton's method, S the sum of block sums rotated by `point @ basis`; never step downhill."""
    best = abs(np.sum(sums * np.exp(-1j * (point @ basis))))
    for _ in range(30):
        step = _newton_step(sums, basis, point)
        step *= min(1.0, 0.3 / max(float(np.abs(step).max()), 1e-12))
        while True:
            height = abs(np.sum(sums * np.exp(-1j * ((point + step) @ basis))))
            if height >= best or float(np.abs(step).max()) < 1e-6:
                break
            step = step / 4
        point, best = point + step, max(height, best)
        if float(np.abs(step).max()) < 1e-6:
            break
    return point


def _newton_step(sums: NDArray[np.complex128], basis: Floats, point: Floats) -> Floats:
    turned = sums * np.exp(-1j * (point @ basis))
    total = turned.sum()
    first = -1j * (basis @ turned)
    second = -(basis * turned) @ basis.T
    gradient = 2 * np.real(np.conj(total) * first)
    hessian = 2 * np.real(np.conj(total) * second + np.outer(np.conj(first), first))
    # Away from the maximum the curvature may have the wrong sign; use the information matrix there.
    if np.any(np.linalg.eigvalsh(hessian) >= 0):
        centred = basis - basis.mean(axis=1, keepdims=True)
        hessian = -2 * abs(total) ** 2 * (centred @ centred.T) / basis.shape[1]
    step: Floats = np.linalg.solve(hessian, -gradient)
    return step
