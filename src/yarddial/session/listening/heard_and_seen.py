"""Measurements on the last seconds of audio and picture: strongest tone, noise density, carrier near the dial."""

import numpy as np
from numpy.typing import NDArray

from yarddial.engine.events import BINS_A_POINT
from yarddial.session.receiver.picture import ReceiverPicture, row_places_hz
from yarddial.yard.errors import YardDialError

# Sample rate of the engine's audio, and the highest tone searched for.
SOUND_RATE_HZ, MAX_TONE_HZ = 48_000.0, 6_000.0
# A carrier is at least this far above the median row of the picture.
SNAP_OVER_MEDIAN_DB = 10.0
# A carrier counts as near within this share of the picture's half span.
NEAR_SHARE = 1 / 15
# The maximum of four bins' quarter-second means exceeds their mean by this much.
STRONGEST_OF_FOUR_DB = 0.4
# Noise bandwidth of a Hann window, in bins.
HANN_NOISE_BINS = 1.5


class LastSecond:
    """The last second of audio."""

    def __init__(self) -> None:
        self._pieces: list[NDArray[np.float32]] = []

    def push(self, samples: NDArray[np.float32]) -> None:
        """Add audio, of shape (n,) or (n, 2)."""
        self._pieces.append(samples if samples.ndim == 1 else samples.mean(axis=1))
        while sum(piece.size for piece in self._pieces[1:]) > SOUND_RATE_HZ:
            self._pieces.pop(0)

    def clear(self) -> None:
        """Restart for another channel."""
        self._pieces.clear()

    def strongest_tone(self) -> tuple[float, float] | None:
        """Frequency and sigma of the strongest audio tone, hertz; None without one or with too little audio."""
        if sum(piece.size for piece in self._pieces) < SOUND_RATE_HZ / 2:
            return None
        from yarddial.dsp.carrier import estimate_carrier

        sound = np.concatenate(self._pieces)[-int(SOUND_RATE_HZ) :].astype(np.complex64)
        # The spectrum of real audio is symmetric; one side is enough.
        try:
            tone = estimate_carrier(sound, SOUND_RATE_HZ, MAX_TONE_HZ / 2, MAX_TONE_HZ / 2 - 20.0)
        except YardDialError:
            return None
        return tone.frequency_hz, tone.sigma_hz


def noise_density_dbfs_hz(picture: ReceiverPicture, width_hz: float) -> float | None:
    """Noise in one hertz, dBFS: the median row of the picture, or of the span where the channel fills the picture.

    width_hz : of the channel. None while too little was received.
    """
    level_db, half_hz = picture.recent()
    if level_db.size >= 16 and width_hz < half_hz:
        return float(np.median(level_db) - 10 * np.log10(HANN_NOISE_BINS * 2 * half_hz / level_db.size))
    if (span := picture.span) is None:
        return None
    bin_hz = span.rate_hz / span.mean_db.size / BINS_A_POINT
    return float(np.median(span.mean_db) - STRONGEST_OF_FOUR_DB - 10 * np.log10(HANN_NOISE_BINS * bin_hz))


def carrier_near(level_db: NDArray[np.floating], half_hz: float, near_hz: float) -> float | None:
    """Offset of the strongest carrier near a frequency from the picture's middle; None without one.

    Parameters
    ----------
    level_db : ndarray, shape (n,)
        Mean level of every row of the picture, lowest frequency first.
    half_hz : float
        Half of the picture's span.
    near_hz : float
        Where to search, relative to the picture's middle.
    """
    if level_db.size < 16:
        return None
    places_hz = row_places_hz(level_db.size, half_hz)
    near = np.abs(places_hz - near_hz) < half_hz * NEAR_SHARE
    if not near.any():
        return None
    at = int(np.argmax(np.where(near, level_db, -np.inf)))
    if level_db[at] < np.median(level_db) + SNAP_OVER_MEDIAN_DB or not 0 < at < level_db.size - 1:
        return None
    # A parabola through three levels of a Hann line is accurate to a tenth of a row.
    left, top, right = level_db[at - 1 : at + 2].tolist()
    part = 0.5 * (left - right) / (left - 2 * top + right)
    return float(places_hz[at] + part * 2 * half_hz / level_db.size)
