"""Samples for the checks, verified against the device's count and the clock."""

from math import log10

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import Device, TimeSource
from yarddial.dsp.spectra import power_density

# With less than half a step of noise an ADC distorts weak signals; this far above its own floor it does not.
DITHERED_DB = 6.0
# A block that takes this share of its own duration to arrive was waited for: no older ones are queued before it.
WAITED_SHARE = 0.5
# Read on at most this much longer, as a share of the time asked for, until the queue is empty.
MAX_CATCH_UP = 1.0


class ListenedBlock(msgspec.Struct, frozen=True):
    """Consecutive samples, the reported losses, and those missing by the clock.

    fast_ppm, fast_sigma_ppm : excess of their rate over this computer's clock, by a straight line through the arrival
    times of blocks, and its uncertainty.
    is_behind : this computer reads too slowly, so blocks were still queued at the end; then nothing is missing by the
    clock.
    """

    samples: NDArray[np.complex64]
    rate_hz: float
    said_lost: int
    missing: int
    fast_ppm: float = 0.0
    fast_sigma_ppm: float = float("inf")
    is_behind: bool = False

    @property
    def uncounted(self) -> int:
        """Unreported missing samples: by the phase of steady lines, else by the clock."""
        return self.missing or (0 if self.said_lost else lost_by_phase(self.samples, self.rate_hz))


def listen(device: Device, time: TimeSource, rate_hz: float, seconds_s: float) -> ListenedBlock:
    """Read for a number of seconds; samples missing by the clock are those that the receiver did not report.

    The first block starts the clock; one block of unevenness is allowed. Samples that still wait in a queue are not
    missing: where some seem to be, read on until none do, at most as long again.
    """
    first = device.read()
    if first is None:
        return ListenedBlock(np.empty(0, np.complex64), rate_hz, 0, 0)
    begun_s, parts, lost, got = time.now_s(), [first.samples], 0, 0
    moments: list[tuple[float, int]] = []
    wanted = seconds_s * rate_hz
    missing, at_once, waited = 0, 0, 0
    while got < wanted or (missing > _unevenness(got) and got < (1 + MAX_CATCH_UP) * wanted):
        asked_s = time.now_s()
        block = device.read()
        if block is None:
            break
        now_s, is_wanted = time.now_s(), got < wanted
        lost += block.lost
        got += block.samples.size + block.lost
        missing_now = round((now_s - begun_s) * rate_hz) - got
        if is_wanted:
            missing = missing_now
            parts.append(block.samples)
            moments.append((now_s - begun_s, got))
            continue
        missing = min(missing, missing_now)
        is_at_once = now_s - asked_s < WAITED_SHARE * block.samples.size / rate_hz
        at_once, waited = at_once + is_at_once, waited + (not is_at_once)
    is_missing, is_behind = missing > _unevenness(got), at_once > waited
    fast_ppm, sigma_ppm = _fast_ppm(moments, rate_hz)
    return ListenedBlock(
        np.concatenate(parts), rate_hz, lost, missing if is_missing and not is_behind else 0, fast_ppm, sigma_ppm,
        is_missing and is_behind,
    )  # fmt: skip


def _unevenness(count: int) -> int:
    return max(int(0.002 * count), 64)


def _fast_ppm(moments: list[tuple[float, int]], rate_hz: float) -> tuple[float, float]:
    """Slope of samples over time against the rate, ppm, with its standard error; infinite sigma from a few blocks."""
    if len(moments) < 8:
        return 0.0, float("inf")
    at_s, count = np.array(moments).T
    away_s = at_s - at_s.mean()
    late_s = at_s - count / rate_hz
    slope = float(away_s @ late_s / (away_s @ away_s))
    rest_s = late_s - late_s.mean() - slope * away_s
    sigma = float(np.sqrt(rest_s @ rest_s / (len(moments) - 2) / (away_s @ away_s)))
    # An undisciplined computer clock is hardly better than this.
    return -slope * 1e6, max(sigma * 1e6, 10.0)


def lost_by_phase(samples: NDArray[np.complex64], rate_hz: float) -> int:
    """Missing samples from the phase jumps of steady lines; 0 with too few lines."""
    from yarddial.dsp.unreported_gaps import LossWatch, steady_lines

    watch = LossWatch(rate_hz, steady_lines(samples, rate_hz))
    return sum(loss.count for loss in [*watch.push(samples), *watch.finish()])


def power_db(samples: NDArray[np.complex64]) -> float:
    """Mean power without the centre spike, dB relative to full scale."""
    return 10 * log10(max(float(np.var(samples)), 1e-20))


def converter_floor_db(bits: int) -> float:
    """Quantisation noise, dB relative to full scale: 2 q^2 / 12 with q = 2 / 2^bits."""
    return 10 * log10(2 * (2.0 / 2**bits) ** 2 / 12)


def carrier_db(samples: NDArray[np.complex64], rate_hz: float, near_hz: float, within_hz: float) -> tuple[float, float]:
    """Strongest line near a frequency: its height over the median of the spectrum, dB, and its frequency."""
    places, power = power_density(samples, rate_hz, min(1 << 14, samples.size))
    close = np.abs(places - near_hz) <= within_hz
    best = int(np.argmax(np.where(close, power, 0.0)))
    return 10 * log10(float(power[best] / max(np.median(power), 1e-30))), float(places[best])


def image_rejection_db(samples: NDArray[np.complex64]) -> float:
    """Image rejection from non-circularity: |E x^2| / E |x|^2 is 2 / sqrt(rejection) for a scene without mirrors."""
    x = samples - samples.mean()
    lack = abs(complex(np.mean(x * x))) / float(np.mean(np.abs(x) ** 2))
    return 20 * log10(2 / max(lack, 1e-6))
