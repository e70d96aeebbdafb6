"""Centre frequency of FM signals, and the stereo pilot that measures the sample clock."""

from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.decimation import decimate, decimation_for
from yarddial.dsp.lopsided import TOP_HZ, judge_lean
from yarddial.dsp.phasor import phasor
from yarddial.dsp.spectral_line import measure_line
from yarddial.yard.errors import BadSamples, NoCarrier
from yarddial.yard.frequency import format_hertz
from yarddial.yard.references import PILOT_HZ

Complex = NDArray[np.complex64]
Floats = NDArray[np.float64]
Width = Literal["narrow", "wide"]

# Half width of the channel filter: deviation plus the highest tone (Carson's rule).
HALF_WIDTH_HZ = {"narrow": 7_500.0, "wide": 110_000.0}
# Below this ratio FM clicks pull the mean towards the filter's centre.
MIN_CNR_DB = {"narrow": 10.0, "wide": 10.0}
SEGMENT_COUNT = 8
# Duration used to locate the station of a pilot.
CENTRE_S = 0.5
# Bins that estimate the mean's uncertainty: beyond the window's width, below speech.
FIRST_BIN, LAST_BIN = 2, 24
# Error of the weighted mean relative to the bound of a bare carrier: sqrt((energy of the weights' slope) / 12), for
# weights of sum 1 over unit time: 4 pi^2 / 2 for Hann, 4 pi^2 0.781 for Blackman.
OVER_BOUND = {"narrow": (4 * np.pi**2 * 0.5 / 12) ** 0.5, "wide": (4 * np.pi**2 * 0.781 / 12) ** 0.5}
# Report asymmetric modulation from this probability on.
LEANS_FROM = 0.9
LOPSIDED_REMARK = "its modulation is lopsided, as of a limiter that clips one side: the middle is that of its pauses"
NO_PAUSE = "it never pauses, and a lopsided limiter moves its middle: measure while nobody speaks"
# Minimum of the flat part of the spectrum, in its own sigmas.
MIN_FLAT_SIGMAS = 9.0
# 4 pi^2 times the weights' energy over that of their slope: 3 for Hann, 2.21 for Blackman.
NOISE_RISE_DB = {"narrow": 3.0, "wide": 2.21}


class Centre(msgspec.Struct, frozen=True):
    """Centre of a modulated signal relative to the searched frequency, hertz, with its uncertainty."""

    frequency_hz: float
    sigma_hz: float
    cn0_dbhz: float
    duration_s: float
    drift_hz_per_s: float
    remark: str = ""


class Pilot(msgspec.Struct, frozen=True):
    """The stereo pilot as counted by the sample clock; `clock_ppm` is positive when that clock runs fast.

    model, remark : signal model and remark, as in `Carrier`.
    """

    frequency_hz: float
    sigma_hz: float
    cn0_dbhz: float
    duration_s: float
    drift_hz_per_s: float
    clock_ppm: float
    model: str = "steady"
    remark: str = ""


def estimate_centre(samples: Complex, rate_hz: float, near_hz: float, within_hz: float, width: Width) -> Centre:
    """Estimate the centre frequency of an FM signal as the weighted mean of its instantaneous frequency.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples.
    rate_hz, near_hz, within_hz : float
        Sample rate; the centre is sought at near_hz +- within_hz.
    width : {"narrow", "wide"}
        The channel: narrow FM (Hann-weighted) or wide FM broadcast (Blackman-weighted). The weights let speech and
        music average out faster than a plain mean.

    Returns
    -------
    Centre
        sigma_hz is the larger of what noise asks for and what the spectrum beside the mean shows.

    Raises
    ------
    BadSamples
        The block is shorter than a tenth of a second, or the rate too low for the channel.
    NoCarrier
        Less than 10 dB of carrier to noise in the channel: clicks would bias the mean.

    Notes
    -----
    A transmitter whose limiter is asymmetric puts a constant into the modulation and so into this mean: in narrow FM it
    is compared with the pauses of the speech (`lopsided`). A broadcaster has none and is watched by others.
    """
    half_hz = HALF_WIDTH_HZ[width]
    _check(samples, rate_hz, half_hz)
    factor = decimation_for(rate_hz, half_hz + within_hz)
    slice_hz = rate_hz / factor
    narrow = _of_quick_length(decimate(samples, rate_hz, near_hz, factor))
    centre_hz = 0.0
    # Centre the filter on the signal first; two rounds suffice from anywhere in the search.
    for reach_hz in (half_hz + within_hz, half_hz, half_hz):
        channel = _channel(narrow, slice_hz, centre_hz, min(reach_hz, 0.48 * slice_hz))
        centre_hz += float(_weights(channel.size - 1, width) @ _instantaneous(channel, slice_hz))
    cnr = _carrier_to_noise(channel)
    if 10 * np.log10(cnr) >= MIN_CNR_DB[width] and abs(centre_hz) > within_hz:
        raise NoCarrier(
            f"a {width} FM signal stands {format_hertz(centre_hz, 1.0)} from the place searched, further than the "
            f"{format_hertz(within_hz, signed=False)} allowed: search there, or wider",
            best_hz=near_hz + centre_hz,
            best_snr_db=float(10 * np.log10(cnr)),
            needed_db=MIN_CNR_DB[width],
        )
    if 10 * np.log10(cnr) < MIN_CNR_DB[width]:
        raise NoCarrier(
            f"no {width} FM signal stands out: {10 * np.log10(cnr):.1f} dB of carrier to noise where "
            f"{MIN_CNR_DB[width]:.0f} dB would do; search nearer or raise the signal",
            best_hz=near_hz + centre_hz,
            best_snr_db=float(10 * np.log10(cnr)),
            needed_db=MIN_CNR_DB[width],
        )
    duration = samples.size / rate_hz
    cn0 = cnr * 2 * half_hz
    noise_sigma = OVER_BOUND[width] * float(np.sqrt(6 / ((2 * np.pi) ** 2 * cn0 * duration**3)))
    hertz = _instantaneous(channel, slice_hz)
    sigma, drift = _scatter(hertz, width, duration, noise_sigma)
    remark = ""
    if width == "narrow":
        # FM noise rises with the square of frequency: N0 / C f^2 up to the top.
        level_hz = float(_weights(hertz.size, width) @ hertz)
        leaning = judge_lean(hertz, slice_hz, level_hz, sigma, float(np.sqrt(TOP_HZ**3 / (3 * cn0))))
        centre_hz, sigma = centre_hz + leaning.middle_hz - level_hz, leaning.sigma_hz
        remark = LOPSIDED_REMARK if leaning.odds > LEANS_FROM else "" if leaning.pauses else NO_PAUSE
    return Centre(near_hz + centre_hz, sigma, float(10 * np.log10(cn0)), duration, drift, remark)


def estimate_pilot(samples: Complex, rate_hz: float, near_hz: float, within_hz: float) -> Pilot:
    """Measure the 19 kHz stereo pilot of a wide FM station, and from it the sample clock.

    A clock fast by p counts the pilot at 19 kHz / (1 + p). The station's own pilot limits the result (rule: 2 Hz).

    Raises
    ------
    NoCarrier
        There is no station, or no pilot in it.
    """
    # The station's frequency is not critical here, because the filter is wide.
    centre = estimate_centre(samples[: int(CENTRE_S * rate_hz)], rate_hz, near_hz, within_hz, "wide")
    half_hz = HALF_WIDTH_HZ["wide"]
    factor = decimation_for(rate_hz, half_hz)
    slice_hz = rate_hz / factor
    narrow = _of_quick_length(decimate(samples, rate_hz, centre.frequency_hz, factor))
    channel = _channel(narrow, slice_hz, 0.0, half_hz)
    multiplex = (_instantaneous(channel, slice_hz) / 75_000.0 / 4).astype(np.complex64)
    carrier = measure_line(np.clip(multiplex.real, -0.9, 0.9).astype(np.complex64), slice_hz, PILOT_HZ, 100.0)
    ppm = (PILOT_HZ / carrier.frequency_hz - 1) * 1e6
    return Pilot(
        carrier.frequency_hz, carrier.sigma_hz, carrier.cn0_dbhz, carrier.duration_s, carrier.drift_hz_per_s,
        float(ppm), carrier.method, carrier.remark,
    )  # fmt: skip


def _check(samples: Complex, rate_hz: float, half_hz: float) -> None:
    if samples.size < rate_hz / 10:
        raise BadSamples("a tenth of a second at least is needed to find the centre of a modulated signal")
    if rate_hz < 2.1 * half_hz:
        raise BadSamples(f"a rate of {rate_hz:g} Hz is too low: the channel is {2 * half_hz:g} Hz wide")
    power = float(np.vdot(samples, samples).real)
    if not np.isfinite(power) or power == 0.0:
        raise BadSamples("the samples are silent or not finite: the recording is damaged")


def _of_quick_length(narrow: Complex) -> Complex:
    """Drop a few samples: a transform of an awkward length takes several times as long."""
    from scipy import fft

    return narrow[: fft.prev_fast_len(narrow.size)]


def _channel(narrow: Complex, rate_hz: float, centre_hz: float, half_hz: float) -> Complex:
    """Pass centre +- half width, with soft edges of a tenth, and shift the centre to zero."""
    from scipy import fft

    spectrum = fft.fft(narrow)
    offset = np.abs(fft.fftfreq(narrow.size, 1 / rate_hz) - centre_hz)
    edge = np.clip((1.1 * half_hz - offset) / (0.1 * half_hz), 0, 1)
    filtered = fft.ifft(spectrum * (0.5 - 0.5 * np.cos(np.pi * edge)).astype(np.float32))
    return np.asarray(filtered * phasor(-centre_hz / rate_hz, 0, narrow.size), np.complex64)


def _instantaneous(channel: Complex, rate_hz: float) -> Floats:
    """Frequency between consecutive samples, hertz."""
    step = channel[1:] * np.conj(channel[:-1])
    hertz: Floats = np.angle(step).astype(np.float64) * (rate_hz / (2 * np.pi))
    return hertz


def _weights(count: int, width: Width) -> Floats:
    weights = np.hanning(count + 2)[1:-1] if width == "narrow" else np.blackman(count + 2)[1:-1]
    normalised: Floats = weights / weights.sum()
    return normalised


def _carrier_to_noise(channel: Complex) -> float:
    """Carrier-to-noise ratio from the second and fourth moments of a constant envelope in Gaussian noise."""
    power = np.abs(channel.astype(np.complex128)) ** 2
    second, fourth = float(power.mean()), float((power**2).mean())
    carrier = np.sqrt(max(2 * second**2 - fourth, 0.0))
    return float(max(carrier, 1e-30) / max(second - carrier, 1e-9 * second))


def _scatter(hertz: Floats, width: Width, duration_s: float, noise_sigma_hz: float) -> tuple[float, float]:
    """Uncertainty of the weighted mean, and the trend over the block.

    The mean is the transform of weights times frequency at 0; a few bins beside it show what it errs by. Noise makes
    frequency's spectrum rise as f^2, which at bin k is 1 + c k^2 times what it is at 0, c by the weights' slope;
    modulation so low that it reaches the mean is flat there. The two are told apart by least squares. What the
    carrier's level says of the noise is firmer than a few bins, and holds unless they show twice as much.
    """
    weights = _weights(hertz.size, width)
    level = float(weights @ hertz)
    bins = np.arange(FIRST_BIN, LAST_BIN + 1)
    from scipy import fft

    beside = np.abs(fft.rfft(weights * (hertz - level))[bins]) ** 2
    rows = np.stack([1 + NOISE_RISE_DB[width] * bins**2, np.ones(bins.size)], axis=1)
    from scipy.optimize import nnls

    # Weight the powers by a smooth first guess, because each scatters in proportion to itself.
    size = np.maximum(rows[:, 0] * float(np.median(beside / rows[:, 0])), 1e-30)
    (noise, low), _ = nnls(rows / size[:, None], beside / size)
    # The flat part must exceed what noise alone would show.
    if low < MIN_FLAT_SIGMAS / float(np.sqrt(np.sum(size**-2.0))):
        noise, low = float(np.mean(beside / rows[:, 0])), 0.0
    noise = noise if noise > 2 * noise_sigma_hz**2 else noise_sigma_hz**2
    parts = np.array([_weights(part.size, width) @ part for part in np.array_split(hertz, SEGMENT_COUNT)])
    middles = (np.arange(SEGMENT_COUNT) + 0.5) / SEGMENT_COUNT * duration_s
    slope, _ = np.polyfit(middles - middles.mean(), parts, 1)
    return float(np.sqrt(noise + low)), float(slope)
