"""Estimation of a fading carrier: the path broadens its line, whose centre is the transmitted frequency."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import MAX_CLIPPED_SHARE
from yarddial.dsp.decimation import decimate, decimation_for
from yarddial.yard.errors import BadSamples, NoCarrier

Complex = NDArray[np.complex64]
Floats = NDArray[np.float64]

# Initial spreads in bins, and the widest spread searched, hertz.
FIRST_BINS = (0.15, 0.4, 1.0, 2.5, 6.0, 15.0, 40.0)
WIDEST_HZ = 3.0
# Fitted band: this many spreads or bins to either side, with an upper limit.
BAND_SPREADS, BAND_BINS, MAX_BINS = 10.0, 40, 1_500
MAX_ROUNDS = 25
# Minimum power over the noise in the line's own width, dB; noise alone passes with far less than 1 in 1000.
FADING_CNR_DB = 9.0
# Share of the block under the cosine taper, which stops leakage at a tenth of the information; bins this close are
# correlated.
TAPERED_SHARE, NEIGHBOUR_BINS = 0.3, 8
# Below this spread times duration a block holds hardly one fade; sigma is then this factor times sqrt(s / T).
FEW_FADES, SHORT_RECORD_FACTOR = 2.0, 0.33
# Number of pieces of the spectrum compared with the model, out to this many spreads.
CHECKED_PIECES, PIECES_REACH = 12, 3.0


class Faded(msgspec.Struct, frozen=True):
    """A broadened line: its centre, its standard deviation over frequency, and their uncertainties.

    spread_hz : standard deviation of the line's power over frequency; near 0 for a steady carrier.
    cn0_dbhz : total power of the line to noise density.
    left, freedom : chi-square of the spectrum about the model, and its degrees of freedom.
    """

    frequency_hz: float
    sigma_hz: float
    spread_hz: float
    spread_sigma_hz: float
    cn0_dbhz: float
    duration_s: float
    left: float = 1.0
    freedom: float = 1.0


def estimate_fading(samples: Complex, rate_hz: float, near_hz: float = 0.0, within_hz: float = 200.0) -> Faded:
    """Estimate the centre of a line that fading has broadened.

    Whittle's likelihood of the periodogram with a Gaussian line on white noise, where the line is taken as the
    finite block shows it: the transform of its correlation times that of the block's taper [1]_. So the same model
    holds from a steady carrier, whose line is as narrow as the block allows, to one spread over many bins. Middle,
    spread, power and noise are found together by Fisher's scoring; sigma is from the information at the end, and from
    how neighbouring bins go with one another.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0.
    rate_hz, near_hz, within_hz : float
        Sample rate; where to search, from the centre.

    Raises
    ------
    BadSamples
        Too short, clipped, silent.
    NoCarrier
        No line stands out.

    Notes
    -----
    The phase of a lagged product reaches 0.38 sqrt(s / T); this about half of that, as far as the line stands over
    the noise. An asymmetric path, with one strong ray and one weak, moves the middle: that is the path's sigma, which
    no single measurement tells.

    References
    ----------
    .. [1] Sykulski, Olhede, Guillaumin, Lilly & Early, Biometrika 106 (2019) 251-266: the debiased Whittle likelihood.
    """
    duration_s = samples.size / rate_hz
    factor = decimation_for(rate_hz, within_hz + BAND_SPREADS * WIDEST_HZ)
    narrow = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    narrow_hz = rate_hz / factor
    _check(samples, narrow)
    start_hz = _loudest_band(narrow, narrow_hz, within_hz)
    further = decimation_for(narrow_hz, BAND_SPREADS * WIDEST_HZ)
    while further > 1 and narrow.size // further < 4 * BAND_BINS:
        further //= 2
    slow = decimate(narrow, narrow_hz, start_hz, further)
    line = _Model(slow, narrow_hz / further)
    point = line.climb()
    covariance = line.covariance(point)
    middle, log_spread, log_power, log_noise = point
    spread_hz = float(np.exp(log_spread))
    cn0 = float(np.exp(log_power - log_noise))
    width_hz = max(2.5 * spread_hz, 1 / duration_s)
    over_db = 10 * np.log10(max(cn0 / width_hz, 1e-9))
    if over_db < FADING_CNR_DB or abs(start_hz + middle) > 1.05 * within_hz:
        raise NoCarrier(
            f"no carrier stands out: the best candidate is {over_db:.1f} dB above the noise in its own width where "
            f"{FADING_CNR_DB:.0f} dB would do; measure longer, search nearer, or raise the signal",
            best_hz=near_hz + start_hz + float(middle),
            best_snr_db=float(over_db),
            needed_db=FADING_CNR_DB,
        )
    sigma_hz = float(covariance[0, 0] ** 0.5)
    if duration_s * spread_hz < FEW_FADES:
        # With hardly one fade in the block the information matrix is optimistic; use the law of lagged products.
        sigma_hz = max(sigma_hz, SHORT_RECORD_FACTOR * float(np.sqrt(spread_hz / duration_s)))
    return Faded(
        near_hz + start_hz + float(middle),
        sigma_hz,
        spread_hz,
        spread_hz * float(covariance[1, 1] ** 0.5),
        10 * float(np.log10(cn0)),
        duration_s,
        *line.left(point),
    )


def _check(samples: Complex, narrow: Complex) -> None:
    if narrow.size < 4 * BAND_BINS:
        raise BadSamples("the block is too short to tell fading: measure longer")
    power = float(np.vdot(narrow, narrow).real)
    if not np.isfinite(power) or power == 0.0:
        raise BadSamples("the samples are silent or not finite: the receiver or the recording is damaged")
    some = samples[:: max(samples.size // 100_000, 1)]
    clipped = float(np.mean(np.maximum(np.abs(some.real), np.abs(some.imag)) >= 0.99))
    if clipped > MAX_CLIPPED_SHARE:
        raise BadSamples(f"{clipped:.1%} of the samples are at full scale: lower the gain and measure again")


def _loudest_band(narrow: Complex, rate_hz: float, within_hz: float) -> float:
    """Find the band with most power over the noise, for widths from one bin to the widest spread."""
    from scipy import fft

    power = np.abs(fft.fft(narrow)) ** 2
    hertz = fft.fftfreq(narrow.size, 1 / rate_hz)
    order = np.argsort(hertz)
    hertz, power = hertz[order], power[order]
    inside = np.abs(hertz) <= within_hz
    noise = float(np.median(power)) / np.log(2)
    best = (-np.inf, 0.0)
    bin_hz = rate_hz / narrow.size
    for spread_bins in FIRST_BINS:
        if spread_bins * bin_hz > WIDEST_HZ and spread_bins > FIRST_BINS[0]:
            break
        half = max(int(2 * spread_bins), 0)
        summed = np.convolve(power / noise - 1, np.ones(2 * half + 1), "same")[inside]
        # A sum of n exponentials has the standard deviation sqrt(n).
        stands = summed / np.sqrt(2 * half + 1)
        at = int(np.argmax(stands))
        if stands[at] > best[0]:
            best = (float(stands[at]), float(hertz[inside][at]))
    return best[1]


def _taper(count: int) -> Floats:
    """Flat window with cosine edges."""
    edge = max(int(TAPERED_SHARE / 2 * count), 1)
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / edge)
    return np.concatenate([rise, np.ones(count - 2 * edge), rise[::-1]])


class _Model:
    """The expected periodogram in a band about the start, and its likelihood.

    A point is (middle from the start in hertz, log of spread in hertz, log of power, log of noise density).
    """

    def __init__(self, narrow: Complex, rate_hz: float) -> None:
        from scipy import fft

        self._rate_hz, self._count = rate_hz, narrow.size
        self._duration_s = narrow.size / rate_hz
        taper = _taper(narrow.size)
        energy = float(taper @ taper)
        # As a density: the mean over the whole line is its power.
        power = np.abs(fft.fft(narrow * taper)) ** 2 / (energy * rate_hz)
        hertz = fft.fftfreq(narrow.size, 1 / rate_hz)
        reach = max(BAND_BINS / self._duration_s, BAND_SPREADS * WIDEST_HZ)
        reach = min(reach, MAX_BINS / 2 / self._duration_s, 0.4 * rate_hz)
        self._inside = np.abs(hertz) <= reach
        self._seen = power[self._inside]
        self._hertz = hertz[self._inside]
        self._lag_s = np.arange(narrow.size) / rate_hz
        points = fft.next_fast_len(2 * narrow.size)
        correlation = fft.ifft(np.abs(fft.fft(taper, points)) ** 2).real[: narrow.size] / energy
        self._of_taper = correlation
        beside = fft.fft(taper**2)[: NEIGHBOUR_BINS + 1] / energy
        self._alike = np.abs(beside) ** 2

    def _line(self, middle_hz: float, spread_hz: float) -> Floats:
        """Density at the bins of a line of unit power, as the finite block shows it."""
        from scipy import fft

        r = self._of_taper * np.exp(-2 * (np.pi * spread_hz * self._lag_s) ** 2)
        r = r * np.exp(2j * np.pi * middle_hz * self._lag_s)
        # Negative lags are conjugates: take twice the real part, with lag 0 once.
        density = 2 * fft.fft(r).real - 1.0
        return np.asarray(np.maximum(density[self._inside] / self._rate_hz, 1e-12), float)

    def expected(self, point: Floats) -> Floats:
        """Expected density at every bin of the band."""
        middle, log_spread, log_power, log_noise = point
        return np.asarray(np.exp(log_power) * self._line(middle, np.exp(log_spread)) + np.exp(log_noise))

    def height(self, point: Floats) -> float:
        """Whittle log likelihood of a point."""
        model = self.expected(point)
        return -float(np.sum(np.log(model) + self._seen / model))

    def _slopes(self, point: Floats) -> Floats:
        """Derivatives of the log density by the four parameters, shape (4, bins)."""
        steps = np.array([0.02 * max(np.exp(point[1]), 0.3 / self._duration_s), 0.02, 0.0, 0.0])
        model = self.expected(point)
        rows = []
        for index in (0, 1):
            step = np.zeros(4)
            step[index] = steps[index]
            change = np.log(self.expected(point + step)) - np.log(self.expected(point - step))
            rows.append(change / (2 * steps[index]))
        noise = np.exp(point[3])
        rows += [(model - noise) / model, noise / model]
        return np.array(rows)

    def information(self, point: Floats) -> Floats:
        """Fisher information of independent exponential bins."""
        slopes = self._slopes(point)
        return np.asarray(slopes @ slopes.T + np.diag([0.0, 1e-3, 0.0, 0.0]))

    def covariance(self, point: Floats) -> Floats:
        """Covariance of the four parameters: the inverse information, enlarged for correlated neighbouring bins."""
        slopes = self._slopes(point)
        shared = slopes @ slopes.T
        for distance in range(1, NEIGHBOUR_BINS + 1):
            product = slopes[:, distance:] @ slopes[:, :-distance].T
            shared = shared + self._alike[distance] * (product + product.T)
        turned = np.linalg.inv(self.information(point))
        return np.asarray(turned @ shared @ turned)

    def left(self, point: Floats) -> tuple[float, float]:
        """Goodness of fit: deviations of pieces of the line's own width from the model."""
        ratio = self._seen / self.expected(point)
        order = np.argsort(self._hertz)
        reach = max(PIECES_REACH * float(np.exp(point[1])), 20 / self._duration_s)
        inside = order[np.abs(self._hertz[order] - point[0]) <= reach]
        pieces = np.array_split(ratio[inside], CHECKED_PIECES)
        # Neighbouring bins are correlated: a mean of n exponentials has sigma sqrt(alike / n).
        alike = 1 + 2 * float(self._alike[1:].sum())
        chi2 = sum(piece.size * (float(piece.mean()) - 1) ** 2 / alike for piece in pieces if piece.size)
        return chi2 / (CHECKED_PIECES - 2), float(CHECKED_PIECES - 2)

    def climb(self) -> Floats:
        """Maximise by Fisher scoring from the best of a few spreads."""
        noise = float(np.median(self._seen)) / np.log(2)
        bin_hz = 1 / self._duration_s
        whole = max(float(np.sum(self._seen - noise)) * bin_hz, noise * bin_hz)
        starts = [
            np.array([0.0, np.log(bins * bin_hz), np.log(whole), np.log(noise)])
            for bins in FIRST_BINS
            if bins * bin_hz <= WIDEST_HZ or bins == FIRST_BINS[0]
        ]
        point = max(starts, key=self.height)
        best = self.height(point)
        for _ in range(MAX_ROUNDS):
            slopes, model = self._slopes(point), self.expected(point)
            gradient = slopes @ (self._seen / model - 1)
            step = np.linalg.solve(self.information(point), gradient)
            step *= min(1.0, 1.0 / max(abs(step[1]), abs(step[2]), abs(step[3]), 1e-9))
            scale = 1.0
            while scale > 1e-3:
                tried = point + scale * step
                tried[1] = min(max(tried[1], np.log(0.02 * bin_hz)), np.log(WIDEST_HZ))
                height = self.height(tried)
                if height >= best:
                    break
                scale /= 3
            else:
                break
            moved = float(np.max(np.abs(tried - point) * np.array([self._duration_s, 1, 1, 1])))
            point, best = tried, height
            if moved < 1e-4:
                break
        return point
