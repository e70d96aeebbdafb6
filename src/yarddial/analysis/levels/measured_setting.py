"""Measurement at one setting of a gain sweep."""

from math import log10

import msgspec

from yarddial.yard.level import GainsDb

# Share of samples at full scale above which reception is distorted.
CLIPPED_SHARE = 1e-4


class GainPoint(msgspec.Struct, frozen=True):
    """What was measured at one setting.

    gain_db : of the stage swept, or of all stages together. gains_db : of every stage, the first in the line first.
    floor_dbfs_hz : noise beside the channel, a hertz wide. channel_dbfs : all of the channel's power.
    width_hz : the channel's. clipped_share : of the samples at full scale. total_dbfs : power of the whole span.
    products_dbfs : what the receiver makes in the channel of strong signals.
    """

    gain_db: float
    floor_dbfs_hz: float
    channel_dbfs: float
    width_hz: float
    clipped_share: float
    gains_db: GainsDb = ()
    total_dbfs: float = 0.0
    products_dbfs: float = -200.0

    @property
    def noise_dbfs(self) -> float:
        """Noise in the channel, dBFS."""
        return self.floor_dbfs_hz + 10 * log10(self.width_hz)

    @property
    def over_db(self) -> float:
        """Signal over noise in the channel, noise subtracted; far below zero without a signal."""
        signal = 10 ** (self.channel_dbfs / 10) - 10 ** (self.noise_dbfs / 10)
        return 10 * log10(max(signal, 1e-30)) - self.noise_dbfs

    @property
    def products_over_noise_db(self) -> float:
        """Products over the noise, dB."""
        return self.products_dbfs - self.noise_dbfs

    @property
    def sndr_db(self) -> float:
        """Signal over noise and products together."""
        rest = 10 ** (self.noise_dbfs / 10) + 10 ** (self.products_dbfs / 10)
        return 10 * log10(max(10 ** (self.channel_dbfs / 10) - rest, 1e-30) / rest)

    @property
    def is_clipped(self) -> bool:
        """Return True when the ADC was clipped."""
        return self.clipped_share > CLIPPED_SHARE
