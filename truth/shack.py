"""A shack in milliwatts: a transmitter, a receiver behind an attenuator, one strong station, noise. Nothing of ours.

Every path is a plain share of the transmitter's power; what stands at the receiver's socket is their sum. The station
and the noise from outside come over the same plug as the transmitter, so they fall with the attenuator and vanish with
the plug.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray


def milliwatts(dbm: float) -> float:
    """Power of a level."""
    return float(10 ** (dbm / 10))


@dataclass
class Shack:
    """What is true, and what hands have done. Levels at the socket without an attenuator, dBm."""

    through_db: float
    air_db: float
    lowest_w: float
    attenuator_db: float
    station_hz: float
    station_dbm: float
    send_hz: float
    noise_dbm_hz: float = -143.0
    own_dbm_hz: float = -162.0
    full_scale_dbm: float = -10.0
    is_attenuated: bool = False
    is_plugged: bool = True
    has_antenna: bool = False
    is_keyed: bool = False
    worst_dbm: float = field(default=-200.0)

    def share(self) -> float:
        """What the plug and the attenuator leave."""
        if not self.is_plugged:
            return 0.0
        return milliwatts(-self.attenuator_db) if self.is_attenuated else 1.0

    def sent_mw(self) -> float:
        """Of the transmitter, at the socket."""
        if not self.is_keyed:
            return 0.0
        share = milliwatts(-self.through_db) + (milliwatts(-self.air_db) if self.has_antenna else 0.0)
        return self.lowest_w * 1000 * share * self.share()

    def record(
        self, count: int, centre_hz: float, rate_hz: float, gain_db: float, chance: np.random.Generator
    ) -> NDArray[np.complex64]:
        """Samples, full scale 1.0 at `full_scale_dbm` less the gain."""
        full_mw = milliwatts(self.full_scale_dbm - gain_db)
        noise_mw = (milliwatts(self.noise_dbm_hz) * self.share() + milliwatts(self.own_dbm_hz)) * rate_hz
        parts = chance.standard_normal((2, count)) * (noise_mw / full_mw / 2) ** 0.5
        samples = parts[0] + 1j * parts[1]
        lines = ((self.station_hz, milliwatts(self.station_dbm) * self.share()), (self.send_hz, self.sent_mw()))
        self.worst_dbm = max(self.worst_dbm, 10 * np.log10(max(self.sent_mw(), 1e-20)))
        for hertz, mw in lines:
            if mw > 0 and abs(hertz - centre_hz) < rate_hz / 2:
                turns = (hertz - centre_hz) / rate_hz * np.arange(count)
                samples = samples + (mw / full_mw) ** 0.5 * np.exp(2j * np.pi * (turns + chance.random()))
        return np.asarray(np.clip(samples.real, -1, 1) + 1j * np.clip(samples.imag, -1, 1), dtype=np.complex64)
