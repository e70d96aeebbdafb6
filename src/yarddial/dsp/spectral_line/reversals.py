"""A suppressed carrier whose phase is reversed: its square has a line at twice its frequency."""

import numpy as np

from yarddial.dsp.carrier import Carrier, OtherLine
from yarddial.dsp.spectral_line.blocks import Record

# The square's line holds at least this share of what a carrier without noise would give.
MIN_SQUARE_SHARE = 0.3
# Bit rates at which a signal idles as two equal lines one rate apart; tolerance of the rate, and of the levels.
IDLE_RATES_HZ, IDLE_RATE_TOLERANCE_HZ, EQUAL_DB = (31.25, 62.5), 0.05, 1.5
REVERSAL_REMARK = "its phase is reversed by what it sends; the value is its suppressed carrier's"


def squared(record: Record) -> Record:
    """Record of the square of the samples about zero: reversals vanish, frequencies double."""
    scale = float(np.sqrt(np.mean(np.abs(record.narrow) ** 2))) or 1.0
    wave = record.narrow.astype(np.complex128) / scale
    return Record((wave**2).astype(np.complex64), record.rate_hz, record.clean_hz, record.record_s)


def square_share(record: Record, carrier: Carrier) -> float:
    """Share of a squared record's size that is in its line; 1 for a signal that is only reversed, without noise."""
    line = abs(complex(np.mean(record.still(carrier.frequency_hz, carrier.drift_hz_per_s))))
    return line / max(float(np.mean(np.abs(record.narrow))), 1e-30)


def idle_middle(carrier: Carrier) -> Carrier | None:
    """Middle of two equal lines one usual bit rate apart: a phase-keyed signal that idles; None for other lines."""
    if carrier.method != "two carriers" or not carrier.others:
        return None
    other = max(carrier.others, key=lambda line: line.level_db)
    apart_hz = other.frequency_hz - carrier.frequency_hz
    sigma_hz = float(np.hypot(carrier.sigma_hz, other.sigma_hz))
    tolerance_hz = max(IDLE_RATE_TOLERANCE_HZ, 3 * sigma_hz)
    if abs(other.level_db) > EQUAL_DB or not any(abs(abs(apart_hz) - rate) < tolerance_hz for rate in IDLE_RATES_HZ):
        return None
    import msgspec

    lines = (
        OtherLine(carrier.frequency_hz, carrier.sigma_hz, -3.0),
        OtherLine(other.frequency_hz, other.sigma_hz, -3.0),
    )
    return msgspec.structs.replace(
        carrier, frequency_hz=carrier.frequency_hz + apart_hz / 2, sigma_hz=sigma_hz / 2, others=lines,
        method="reversal-keyed", remark=REVERSAL_REMARK,
    )  # fmt: skip
