"""Candidate frequencies of a line: the strongest bin, and the strongest straight track."""

import msgspec
import numpy as np

from yarddial.dsp.drifting import estimate_drifting
from yarddial.dsp.spectral_line.blocks import Record
from yarddial.yard.errors import BadSamples, NoCarrier

# Probability that noise alone passes the whole search; independent trials per bin (see `carrier`).
FALSE_ALARM, TRIES_PER_BIN = 1e-4, 8
# Fastest drifts that are searched in turn, hertz per second: a crystal that warms at 145 MHz reaches 20. Grid step in
# units of 1 / T^2.
MAX_DRIFTS, DRIFT_GRID_STEP = (10.0, 32.0), 1.2
# Minimum height of a line above the noise in one bin.
MIN_BIN_SNR_DB = 12.0


class LineStart(msgspec.Struct, frozen=True):
    """A candidate: offset from the slice's middle, its height over the noise in one bin, and the height required."""

    hertz: float
    over_db: float
    needed_db: float
    drift_hz_per_s: float = 0.0

    @property
    def is_line(self) -> bool:
        """Whether it exceeds noise."""
        return self.over_db > self.needed_db


def _needed_db(tries: float) -> float:
    return 10 * float(np.log10(np.log(max(tries, 2.0) / FALSE_ALARM)))


def loudest_bin(record: Record, within_hz: float) -> LineStart:
    """Find the strongest of all bins and half bins within the search range."""
    from scipy import fft

    narrow = record.narrow
    points = fft.next_fast_len(2 * narrow.size)
    step_hz = record.rate_hz / points
    spectrum = fft.fft(narrow, points)
    power = spectrum.real**2 + spectrum.imag**2
    reach = min(max(int(within_hz / step_hz), 4), points // 2 - 1)
    clean = min(int(record.clean_hz / step_hz), points // 2 - 1)
    searched = np.concatenate([power[points - reach :], power[: reach + 1]])
    around = np.concatenate([power[points - clean :], power[: clean + 1]])
    at = int(np.argmax(searched))
    noise = float(np.median(around)) / np.log(2)
    over_db = 10 * float(np.log10(max(float(searched[at]) / max(noise, 1e-40), 1e-9)))
    return LineStart((at - reach) * step_hz, over_db, _needed_db(TRIES_PER_BIN * (reach + 1)))


def loudest_track(record: Record, within_hz: float, max_drifts: tuple[float, ...] = MAX_DRIFTS) -> LineStart | None:
    """Strongest straight track in time and frequency, searched among slow ones first; None when none stands out."""
    for max_drift in max_drifts:
        try:
            carrier = estimate_drifting(record.narrow, record.rate_hz, 0.0, within_hz, max_drift)
        except (NoCarrier, BadSamples):
            continue
        drift_steps = max(2 * max_drift * record.duration_s**2 / DRIFT_GRID_STEP, 1.0)
        needed_db = _needed_db(2 * TRIES_PER_BIN * within_hz * record.duration_s * drift_steps)
        over_db = carrier.cn0_dbhz + 10 * float(np.log10(record.duration_s))
        track = LineStart(carrier.frequency_hz, over_db, needed_db, carrier.drift_hz_per_s)
        if track.is_line or max_drift == max_drifts[-1]:
            return track
    return None
