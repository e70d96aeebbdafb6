"""Estimate the frequency of the strongest carrier in a slice and select the signal model that explains it."""

from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.beside import estimate_beside
from yarddial.dsp.carrier import Carrier, OtherLine, check_samples, clipped_share, clipping_remark
from yarddial.dsp.decimation import CLEAN_FRACTION, decimate, decimation_for
from yarddial.dsp.spectral_line.blocks import Record
from yarddial.dsp.spectral_line.candidates import (
    MAX_DRIFTS,
    MIN_BIN_SNR_DB,
    LineStart,
    loudest_bin,
    loudest_track,
)
from yarddial.dsp.spectral_line.constant_envelope import is_part_of_constant_envelope, switches
from yarddial.dsp.spectral_line.frequency_jump import jump_share
from yarddial.dsp.spectral_line.model_choice import candidates_from, measured, weighed_carrier
from yarddial.dsp.spectral_line.naming import REMARKS
from yarddial.dsp.spectral_line.phase_hum import hum_beside, phase_hum
from yarddial.dsp.spectral_line.reversals import (
    MIN_SQUARE_SHARE,
    REVERSAL_REMARK,
    idle_middle,
    square_share,
    squared,
)
from yarddial.dsp.spectral_line.several import without_known
from yarddial.yard.errors import NoCarrier
from yarddial.yard.frequency import format_hertz

Complex = NDArray[np.complex64]

# Margin beside the search range in which other lines and the noise are examined.
ROOM_HZ = 60.0
# Search this far around a detected line for neighbouring lines.
NEIGHBOUR_SEARCH_HZ = 100.0
# A known line further from the search range than this does not disturb the estimate.
KNOWN_LINE_MARGIN_BINS = 30.0
# A shorter slice cannot be measured.
MIN_SLICE_SAMPLES = 512
# Search this far for the sidebands of a humming phase.
HUM_REACH_HZ = 450.0
# A smaller swing leaves the carrier by far the strongest line.
MIN_HUM_RAD = 1.0
HUM_REMARK = "its phase hums with the mains; the value is the carrier's, which is not the strongest line"
# A line weaker than this over the noise of the record may be a peak of a signal that is reversed in phase: the line of
# its square is stronger by this much, where a carrier's own would be weaker.
WEAK_LINE_DB, MIN_SQUARE_GAIN_DB = 26.0, 3.0
# Models that a jump of frequency passes for.
JUMP_LIKE_MODELS = ("wandering", "fading", "two rays", "broken", "jumping", "warming up")
# What a part before or after a jump is: an oscillator that wanders has no such part.
PART_MODELS = ("steady", "keyed", "two carriers")


def measure_line(
    samples: Complex, rate_hz: float, near_hz: float, within_hz: float, known_hz: Sequence[float] = (),
    *, may_fade: bool = True,
) -> Carrier:  # fmt: skip
    """Estimate the frequency of the strongest line and select the signal model that explains it.

    The record is brought down to some hundred block means about the line. Models of the path (steady, fading), of the
    oscillator (drifting, wandering, warming up, jumping), of the record (broken), of the station (level changes, keyed)
    and of its neighbours (two or three lines) are weighed by the probability of the blocks under each, parameters
    integrated over [1]_. The answer is the mean over all models that leave no more than noise, and so is its sigma:
    what a short record cannot tell apart widens it.

    Parameters
    ----------
    samples : ndarray of complex64, shape (n,)
        Base-band samples, full scale 1.0.
    rate_hz, near_hz, within_hz : float
        Sample rate; where to search, from the centre.
    known_hz : sequence of float
        Lines known to be there, from the centre, such as the spike at 0; those near the search are fitted together
        with the line and taken off.
    may_fade : bool
        Whether the path is one that fades, as sky waves below 30 MHz do. A short record shows slow fading as little as
        it shows a slow error, so fading widens the uncertainty of a steady line; without it the line is stated at the
        bound.

    Returns
    -------
    Carrier
        Its mean frequency over the record; `method` names the model, `is_adequate` tells whether it explains the
        record, `remark` what a person should know, `others` further lines, `residual` what a steady line leaves.

    Raises
    ------
    BadSamples, NoCarrier
        As the estimators do; NoCarrier too where what stands there is broad and no model explains it.

    References
    ----------
    .. [1] MacKay, Information Theory, Inference and Learning Algorithms (2003), chapter 28: Occam factors.
    """
    check_samples(samples, rate_hz, near_hz, within_hz)
    record = _slice(samples, rate_hz, near_hz, within_hz)
    known = [k - near_hz for k in known_hz if abs(k - near_hz) < within_hz + KNOWN_LINE_MARGIN_BINS / record.duration_s]
    record, min_sigma_hz = _without_lines(record, within_hz, known)
    search = _LineSearch(record, within_hz, min_sigma_hz, may_fade)
    if search.start.is_line and not known:
        closer = search.closer
        hum_hz = hum_beside(closer.narrow, closer.rate_hz, search.start.hertz)
        if hum_hz:
            line_hz = search.middle_hz + search.start.hertz
            steadied = _without_hum(samples, rate_hz, near_hz, line_hz, hum_hz, may_fade)
            if steadied is not None:
                return steadied
    carrier = search.carrier()
    _require_within(carrier, within_hz, near_hz, record.duration_s, search.start)
    return msgspec.structs.replace(
        carrier,
        frequency_hz=near_hz + carrier.frequency_hz,
        remark=clipping_remark(clipped_share(samples), carrier.remark),
        duration_s=record.duration_s,
        others=tuple(
            msgspec.structs.replace(line, frequency_hz=near_hz + line.frequency_hz) for line in carrier.others
        ),
    )  # fmt: skip


def _slice(samples: Complex, rate_hz: float, near_hz: float, within_hz: float) -> Record:
    """Cut the searched range with some room from the samples; raises BadSamples where nothing is received."""
    factor = decimation_for(rate_hz, within_hz + ROOM_HZ)
    while factor > 1 and samples.size // factor < MIN_SLICE_SAMPLES:
        factor //= 2
    narrow = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    clean_hz = (CLEAN_FRACTION if factor > 1 else 0.49) * rate_hz / factor
    record = Record(narrow, rate_hz / factor, clean_hz, samples.size / rate_hz)
    record.require_live()
    return record


def _without_lines(record: Record, within_hz: float, known: list[float]) -> tuple[Record, float]:
    """Record without the known lines, and the least uncertainty that sharing information with them leaves."""
    if not known:
        return record, 0.0
    try:
        beside = estimate_beside(record.narrow, record.rate_hz, 0.0, within_hz, known)
    except NoCarrier:
        # There is no steady carrier; a drifting or fading one is still possible.
        return without_known(record, [], known), 0.0
    return without_known(record, [beside.frequency_hz], known), beside.sigma_hz


class _LineSearch:
    """Search for a line in a slice: first near the strongest bin, then by what else it may be.

    middle_hz : of the closer record, from the slice's middle; the searched range may be a hundred times wider than what
    matters around a line.
    """

    def __init__(self, record: Record, within_hz: float, min_sigma_hz: float, may_fade: bool) -> None:
        self._record, self._searched_hz = record, within_hz
        self._min_sigma_hz, self._may_fade = min_sigma_hz, may_fade
        self.start = loudest_bin(record, within_hz)
        self.closer, self.middle_hz, self._within_hz = record, 0.0, within_hz
        if self.start.is_line:
            self.closer = record.around(self.start.hertz, NEIGHBOUR_SEARCH_HZ + ROOM_HZ, MIN_SLICE_SAMPLES)
        if self.closer is not record:
            self.middle_hz, self._within_hz = self.start.hertz, min(within_hz, NEIGHBOUR_SEARCH_HZ)
            self.start = loudest_bin(self.closer, NEIGHBOUR_SEARCH_HZ)

    def carrier(self) -> Carrier:
        """The carrier, from the slice's middle; raises NoCarrier."""
        try:
            carrier = self._by_models()
        except NoCarrier:
            # A fast drift leaves no line to narrow the search to.
            other = self._fast() or _by_squaring(self._record, self._searched_hz)
            if other is None:
                raise
            return other
        if carrier.cn0_dbhz + 10 * float(np.log10(self._record.duration_s)) < WEAK_LINE_DB:
            suppressed = _by_squaring(self._record, self._searched_hz)
            if suppressed is not None and suppressed.cn0_dbhz > carrier.cn0_dbhz + MIN_SQUARE_GAIN_DB:
                return suppressed
        return carrier

    def _by_models(self) -> Carrier:
        """The line near the strongest bin, or the fast or interrupted one that it is part of."""
        carrier = _whole_or_part(self.closer, self._within_hz, self.start, self._min_sigma_hz, self._may_fade)
        middle_hz = self.middle_hz
        if not _is_whole(self._record, carrier, middle_hz):
            fast = self._fast()
            carrier, middle_hz = (
                (_one_part(self._record, carrier, middle_hz), middle_hz) if fast is None else (fast, 0.0)
            )
        return _moved(idle_middle(carrier) or carrier, middle_hz)

    def _fast(self) -> Carrier | None:
        return _by_track(self._record, self._searched_hz, self._may_fade)


def _moved(carrier: Carrier, by_hz: float) -> Carrier:
    """Carrier and its neighbours relative to another middle."""
    others = tuple(msgspec.structs.replace(line, frequency_hz=by_hz + line.frequency_hz) for line in carrier.others)
    return msgspec.structs.replace(carrier, frequency_hz=by_hz + carrier.frequency_hz, others=others)


def _require_within(carrier: Carrier, within_hz: float, near_hz: float, duration_s: float, start: LineStart) -> None:
    """Raise NoCarrier for a line further away than was allowed."""
    drifts = abs(carrier.drift_hz_per_s) > 3 * carrier.drift_sigma
    moves_hz = abs(carrier.drift_hz_per_s) * duration_s if drifts else 0.0
    if abs(carrier.frequency_hz) > within_hz + moves_hz + KNOWN_LINE_MARGIN_BINS / duration_s:
        raise NoCarrier(
            f"the strongest line stands {format_hertz(carrier.frequency_hz, 1.0)} from the place searched, further "
            f"than the {format_hertz(within_hz, signed=False)} allowed: search there, or wider",
            best_hz=near_hz + carrier.frequency_hz, best_snr_db=start.over_db, needed_db=start.needed_db,
        )  # fmt: skip


def _is_whole(record: Record, carrier: Carrier, offset_hz: float) -> bool:
    """Return True unless the line is one of several places of a signal of constant level.

    offset_hz : of the frequency that the carrier is relative to, from the slice's middle.
    """
    hertz = carrier.frequency_hz + offset_hz
    density = record.noise_density(record.still(hertz), hertz)
    drift = carrier.drift_hz_per_s if abs(carrier.drift_hz_per_s) > 3 * carrier.drift_sigma else 0.0
    return not is_part_of_constant_envelope(record, hertz, drift, density)


def _one_part(record: Record, carrier: Carrier, offset_hz: float) -> Carrier:
    """Carrier as it is where the line is there all the time, or as one part of a jump; NoCarrier where it hops."""
    hertz = carrier.frequency_hz + offset_hz
    density = record.noise_density(record.still(hertz), hertz)
    changes = switches(record.blocks(hertz, carrier.drift_hz_per_s, density))
    if changes == 0:
        # The rest is the line's own modulation.
        return carrier
    if changes == 1:
        return msgspec.structs.replace(carrier, method="jumping", remark=REMARKS["jumping"])
    raise NoCarrier(
        "what stands there is a signal whose frequency is shifted or hops, and no carrier: the strongest line is "
        "only a part of it; measure another station",
        best_hz=hertz, best_snr_db=carrier.cn0_dbhz + 10 * float(np.log10(record.duration_s)),
        needed_db=MIN_BIN_SNR_DB,
    )  # fmt: skip


def _without_hum(
    samples: Complex, rate_hz: float, near_hz: float, line_hz: float, hum_hz: float, may_fade: bool
) -> Carrier | None:
    """Measure the carrier whose phase hums so much that a sideband is the strongest line; None where it is no sideband.

    line_hz : of the strongest line, from near_hz. hum_hz : distance of another line from it.
    """
    factor = decimation_for(rate_hz, abs(line_hz) + HUM_REACH_HZ)
    wide = decimate(samples, rate_hz, near_hz, factor) if factor > 1 or near_hz else samples
    # The strongest two lines may be a first and a third, with none between them.
    hums = [phase_hum(wide, rate_hz / factor, line_hz, hertz) for hertz in (hum_hz, hum_hz / 2)]
    hum = max((hum for hum in hums if hum is not None), key=lambda hum: hum.share, default=None)
    if hum is None or hum.swing_rad < MIN_HUM_RAD:
        return None
    still = hum.removed(wide, rate_hz / factor)
    within_hz = KNOWN_LINE_MARGIN_BINS * rate_hz / samples.size + 1.0
    carrier = measure_line(still, rate_hz / factor, hum.carrier_hz, within_hz, may_fade=may_fade)
    return msgspec.structs.replace(
        carrier, frequency_hz=near_hz + carrier.frequency_hz, duration_s=samples.size / rate_hz, remark=HUM_REMARK,
        others=tuple(msgspec.structs.replace(o, frequency_hz=near_hz + o.frequency_hz) for o in carrier.others),
    )  # fmt: skip


def _by_track(record: Record, within_hz: float, may_fade: bool) -> Carrier | None:
    """Measure a fast drifting carrier in the whole slice; None where no straight track explains it."""
    track = loudest_track(record, within_hz, MAX_DRIFTS[-1:])
    if track is None or not track.is_line or abs(track.hertz) > within_hz:
        return None
    density = record.noise_density(record.still(track.hertz, track.drift_hz_per_s), track.hertz)
    candidates = candidates_from(record, track.hertz, track.drift_hz_per_s, density, may_fade)
    if all(candidate.is_odd for candidate in candidates):
        return None
    carrier = weighed_carrier(record, candidates, density, 0.0)
    return carrier if carrier.method == "drifting" and _is_whole(record, carrier, 0.0) else None


def _by_squaring(record: Record, within_hz: float) -> Carrier | None:
    """Measure a suppressed carrier that is reversed in phase; None where the square has no steady line."""
    square = squared(record)
    start = loudest_bin(square, 2 * within_hz)
    if not start.is_line:
        return None
    density = square.noise_density(square.still(start.hertz), start.hertz)
    candidates = [
        candidate for candidate in candidates_from(square, start.hertz, 0.0, density, may_fade=False)
        if candidate.told.name in ("steady", "drifting") and not candidate.is_odd
    ]  # fmt: skip
    if not candidates:
        return None
    carrier = weighed_carrier(square, candidates, density, 0.0)
    if square_share(square, carrier) < MIN_SQUARE_SHARE:
        return None
    return msgspec.structs.replace(
        carrier, frequency_hz=carrier.frequency_hz / 2, sigma_hz=carrier.sigma_hz / 2,
        drift_hz_per_s=carrier.drift_hz_per_s / 2, drift_sigma=carrier.drift_sigma / 2, method="reversal-keyed",
        remark=REVERSAL_REMARK, others=(),
    )  # fmt: skip


def _whole_or_part(record: Record, within_hz: float, start: LineStart, min_sigma_hz: float, may_fade: bool) -> Carrier:
    """Measure the line at a start, or the longer part of a record in which it jumps; raises NoCarrier."""
    try:
        carrier = measured(record, within_hz, start, min_sigma_hz, may_fade)
    except NoCarrier:
        part = _longer_part(record, within_hz, start.hertz, min_sigma_hz, may_fade) if start.is_line else None
        if part is None:
            raise
        return part
    if carrier.method in JUMP_LIKE_MODELS or not carrier.is_adequate:
        return _longer_part(record, within_hz, carrier.frequency_hz, min_sigma_hz, may_fade) or carrier
    return carrier


def _longer_part(record: Record, within_hz: float, hertz: float, min_sigma_hz: float, may_fade: bool) -> Carrier | None:
    """Measure the longer part of a record whose line near a frequency jumps once; None where it does not."""
    share = jump_share(record.blocks(hertz, 0.0, record.noise_density(record.still(hertz), 0.0)))
    if share is None:
        return None
    at = round(share * record.narrow.size)
    parts = [
        Record(piece, record.rate_hz, record.clean_hz)
        for piece in (record.narrow[:at], record.narrow[at:])
        if piece.size >= MIN_SLICE_SAMPLES
    ]
    parts.sort(key=lambda part: -part.duration_s)
    if not parts:
        return None
    starts = [loudest_bin(part, within_hz) for part in parts]
    try:
        longer = measured(parts[0], within_hz, starts[0], min_sigma_hz, may_fade)
    except NoCarrier:
        return None
    if longer.method not in PART_MODELS or not longer.is_adequate:
        return None
    others = tuple(
        OtherLine(start.hertz, 0.3 / part.duration_s, start.over_db - starts[0].over_db)
        for part, start in zip(parts[1:], starts[1:], strict=True)
        if start.is_line
    )
    return msgspec.structs.replace(
        longer, method="jumping", others=(*others, *longer.others), duration_s=record.duration_s,
        remark=REMARKS["jumping"],
    )  # fmt: skip
