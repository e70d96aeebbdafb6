"""One line measured as it is: steady, drifting or fading, alone or beside a line whose place is known."""

from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.beside import estimate_beside
from yarddial.dsp.carrier import Carrier, estimate_carrier
from yarddial.dsp.drifting import estimate_drifting
from yarddial.dsp.fading import estimate_fading
from yarddial.yard.errors import BadSamples, NoCarrier

# Shorter than this neither drift nor fading can be told from noise.
LEAST_S = 4.0
# What a model must explain more than the simpler one, dB of carrier.
BETTER_DB = 1.0
# Spread that is one: in bins, and in its own doubts. Around the line found so far it is looked for.
SPREAD_BINS, SPREAD_SIGMAS, AROUND_HZ = 0.3, 3.0, 12.0
# A known line further from the search than this many bins leaves the carrier alone.
APART_BINS = 30.0


def measure_line(
    samples: NDArray[np.complex64], rate_hz: float, near_hz: float, within_hz: float, known_hz: Sequence[float] = ()
) -> Carrier:
    """Measure the strongest line by the simplest model that explains it.

    First as a steady carrier; as a drifting one where that explains a decibel more; as a fading one where the line is
    broader than the block makes it and holds a decibel more than the coherent carrier. `Carrier.method` tells which.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0.
    rate_hz, near_hz, within_hz : float
        Sample rate; where to search, from the centre.
    known_hz : sequence of float
        Lines known to be there, from the centre, such as the spike at 0; those near the search are fitted together.

    Raises
    ------
    BadSamples, NoCarrier
        As the estimators do.
    """
    duration_s = samples.size / rate_hz
    near_known = [k for k in known_hz if abs(k - near_hz) < within_hz + APART_BINS / duration_s]
    if near_known:
        found = estimate_beside(samples, rate_hz, near_hz, within_hz, near_known)
        return msgspec.structs.replace(found, method="beside")
    trouble: NoCarrier | None = None
    best: Carrier | None = None
    try:
        best = estimate_carrier(samples, rate_hz, near_hz, within_hz)
    except NoCarrier as error:
        trouble = error
    if duration_s >= LEAST_S:
        best = _drifting(samples, rate_hz, near_hz, within_hz, best)
        best = _fading(samples, rate_hz, near_hz, within_hz, best)
    if best is None:
        assert trouble is not None
        raise trouble
    return best


def _drifting(
    samples: NDArray[np.complex64], rate_hz: float, near_hz: float, within_hz: float, best: Carrier | None
) -> Carrier | None:
    try:
        found = estimate_drifting(samples, rate_hz, near_hz, within_hz)
    except (NoCarrier, BadSamples):
        return best
    if best is not None and found.cn0_dbhz < best.cn0_dbhz + BETTER_DB:
        return best
    return msgspec.structs.replace(found, method="drifting")


def _fading(
    samples: NDArray[np.complex64], rate_hz: float, near_hz: float, within_hz: float, best: Carrier | None
) -> Carrier | None:
    if best is not None and best.method == "drifting" and abs(best.drift_hz_per_s) * best.duration_s > 1.0:
        # What moves by more than a hertz is no line to be broadened.
        return best
    place_hz, around_hz = (near_hz, within_hz) if best is None else (best.frequency_hz, AROUND_HZ)
    try:
        faded = estimate_fading(samples, rate_hz, place_hz, min(around_hz, within_hz))
    except (NoCarrier, BadSamples):
        return best
    is_broad = (
        faded.spread_hz * faded.duration_s > SPREAD_BINS and faded.spread_hz > SPREAD_SIGMAS * faded.spread_sigma_hz
    )
    if not is_broad or (best is not None and faded.cn0_dbhz < best.cn0_dbhz + BETTER_DB):
        return best
    return Carrier(
        faded.frequency_hz,
        faded.sigma_hz,
        faded.cn0_dbhz,
        faded.duration_s,
        0.0,
        float("inf"),
        "fading",
        faded.spread_hz,
    )
