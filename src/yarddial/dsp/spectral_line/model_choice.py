"""Weighing of all signal models of one line, and its frequency as their mean."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import Carrier, OtherLine
from yarddial.dsp.fading import estimate_fading
from yarddial.dsp.spectral_line.blocks import Blocks, Record
from yarddial.dsp.spectral_line.candidates import (
    MIN_BIN_SNR_DB,
    LineStart,
    loudest_track,
)
from yarddial.dsp.spectral_line.elsewhere import is_mostly_elsewhere
from yarddial.dsp.spectral_line.explanation import MAX_RESIDUAL_SIGMAS, Explanation, WeighedLine
from yarddial.dsp.spectral_line.gap_model import explain_gaps
from yarddial.dsp.spectral_line.naming import name_of, remark_of
from yarddial.dsp.spectral_line.path_models import MAX_SPREAD_HZ, explain_path
from yarddial.dsp.spectral_line.phase_models import explain_oscillator, explain_phase
from yarddial.dsp.spectral_line.ray_models import explain_ray
from yarddial.dsp.spectral_line.several import explain_several
from yarddial.yard.errors import BadSamples, NoCarrier
from yarddial.yard.frequency import format_hertz

Complex = NDArray[np.complex64]

# Name another model than the steady carrier when its log odds exceed this.
MODEL_LOG_ODDS_TO_NAME = 3.0
# Try a drifting carrier as a second start when the drift moves it by this many bins.
MIN_DRIFT_BINS = 0.5
# Use the local noise floor when it exceeds the wide-band floor by this factor; measure it this far from the line.
LOCAL_FLOOR_RATIO, LOCAL_FLOOR_BINS = 1.6, (24, 48)
# Wider than this, fit the Doppler spectrum instead of a line. Wider still and unexplained: no carrier.
SPECTRUM_FIT_BINS, NO_CARRIER_BINS = 12.0, 6.0
# Models whose line is not all the time at its mean frequency.
MOVING_MODELS = ("wandering", "broken", "jumping", "warming up", "two rays")
# Models that explain a record without a second ray.
RAYLESS_MODELS = ("steady", "level", "lines", "drifting", "broken")
# The residual is condensed to this many points for the picture.
RESIDUAL_POINTS = 48


def measured(record: Record, within_hz: float, start: LineStart, min_sigma_hz: float, may_fade: bool) -> Carrier:
    """Frequency of the line at a start, with the model that explains it; raises NoCarrier where there is none.

    min_sigma_hz : of an estimate that shares its information with known lines.
    """
    candidates: list[WeighedLine] = []
    density = None
    if start.is_line:
        density = record.noise_density(record.still(start.hertz), start.hertz)
        candidates = candidates_from(record, start.hertz, 0.0, density, may_fade)
        several = [
            WeighedLine(start.hertz, 0.0, explanation)
            for explanation in explain_several(record, start.hertz, within_hz, density)
        ]
        candidates += several
    if not _is_settled(candidates):
        candidates += _moving(record, within_hz, density, bool(candidates), may_fade)
    candidates += _with_ray(record, candidates, density)
    if _is_broad(candidates, record.duration_s):
        candidates += _spread(record, within_hz, candidates)
    if not candidates:
        raise NoCarrier(
            f"no carrier stands out within {format_hertz(within_hz, signed=False)} of the place searched: the best "
            f"candidate is {start.over_db:.1f} dB above the noise where {start.needed_db:.1f} dB would do; measure "
            "longer, search nearer, or raise the signal",
            best_hz=start.hertz,
            best_snr_db=start.over_db,
            needed_db=start.needed_db,
        )
    carrier = weighed_carrier(record, candidates, density, min_sigma_hz)
    if carrier.method != "keyed":
        _require_line(record, carrier, density, within_hz)
    return carrier


def _require_line(record: Record, carrier: Carrier, density: float | None, within_hz: float) -> None:
    """Raise NoCarrier when the peak is only part of a broad signal."""
    density = density or record.noise_density(record.still(carrier.frequency_hz), carrier.frequency_hz)
    drift = carrier.drift_hz_per_s if abs(carrier.drift_hz_per_s) > 3 * carrier.drift_sigma else 0.0
    signal = 10 ** (carrier.cn0_dbhz / 10) * record.duration_s
    moves = carrier.method in MOVING_MODELS
    if is_mostly_elsewhere(
        record, carrier.frequency_hz, drift, carrier.spread_hz, signal, density, within_hz, moves=moves
    ):
        raise NoCarrier(
            "what stands there is a modulated signal and no carrier: most of it lies beside the strongest line; "
            "measure another station, or this one as narrow FM",
            best_hz=carrier.frequency_hz, best_snr_db=10 * float(np.log10(signal)), needed_db=MIN_BIN_SNR_DB,
        )  # fmt: skip


def candidates_from(record: Record, hertz: float, drift: float, density: float, may_fade: bool) -> list[WeighedLine]:
    """Fit every model to the blocks around one starting point."""
    blocks = record.blocks(hertz, drift, density)
    hertz += blocks.loudest_hz()
    blocks = record.blocks(hertz, drift, density)
    candidates = []
    for noise in _noises(blocks):
        held = msgspec.structs.replace(blocks, means=blocks.means / np.sqrt(noise))
        path = explain_path(held, may_fade=may_fade)
        explanations = [*path, *explain_oscillator(held)]
        gaps = explain_gaps(held)
        explanations += [gaps] if gaps is not None else []
        if (
            noise != 1.0
            or path[0].log_evidence
            < max(explained.log_evidence for explained in explanations[1:]) + MODEL_LOG_ODDS_TO_NAME
        ):
            explanations += explain_phase(held)
        shift = 0.0
        if noise != 1.0:
            few = held.condensed(2 * RESIDUAL_POINTS)
            shift = -few.means.size * np.log(noise) + few.energy * (noise - 1)
        for explanation in explanations:
            moved = msgspec.structs.replace(explanation, log_evidence=explanation.log_evidence + shift)
            candidates.append(WeighedLine(hertz, drift, _drifting_too(moved, held, drift), noise))
    return candidates


def _drifting_too(explanation: Explanation, blocks: Blocks, drift: float) -> Explanation:
    """Penalise an explanation whose start had a drift removed: it has a drift as well."""
    if not drift:
        return explanation
    sigma = float((90 / (np.pi**2 * max(explanation.signal, 1.0))) ** 0.5) / blocks.duration_s**2
    pays = 0.0 if explanation.name == "drifting" else np.log(min(np.sqrt(2 * np.pi) * sigma / 2, 1.0) / 10)
    name = "drifting" if explanation.name in ("steady", "level") else explanation.name
    return msgspec.structs.replace(
        explanation, name=name, log_evidence=explanation.log_evidence + pays,
        drift_hz_per_s=explanation.drift_hz_per_s + drift,
        drift_sigma=min(explanation.drift_sigma, sigma),
    )  # fmt: skip


def _noises(blocks: Blocks) -> list[float]:
    """Noise density further out, and close to the line where it is higher there."""
    spectrum = np.abs(np.fft.fft(blocks.means)) ** 2 / blocks.means.size
    bins = np.abs(np.fft.fftfreq(blocks.means.size, 1 / blocks.means.size))
    ring = spectrum[(bins >= LOCAL_FLOOR_BINS[0]) & (bins <= LOCAL_FLOOR_BINS[1])]
    noise = float(np.median(ring) / np.log(2))
    return [1.0, noise] if noise > LOCAL_FLOOR_RATIO else [1.0]


def _is_settled(candidates: list[WeighedLine]) -> bool:
    """Return True when a steady line, alone or with others, leaves nothing to explain."""
    best = max(candidates, key=lambda candidate: candidate.told.log_evidence, default=None)
    return best is not None and best.told.name in ("steady", "level", "lines") and not best.is_odd and best.noise == 1.0


def _moving(
    record: Record, within_hz: float, density: float | None, has_line: bool, may_fade: bool
) -> list[WeighedLine]:
    """Fit every model from the strongest drifting track."""
    track = loudest_track(record, within_hz)
    if (
        track is None
        or abs(track.drift_hz_per_s) * record.duration_s**2 < MIN_DRIFT_BINS
        or not (has_line or track.is_line)
    ):
        return []
    if density is None:
        density = record.noise_density(record.still(track.hertz, track.drift_hz_per_s), track.hertz)
    return candidates_from(record, track.hertz, track.drift_hz_per_s, density, may_fade)


def _with_ray(record: Record, candidates: list[WeighedLine], density: float | None) -> list[WeighedLine]:
    """Fit a second ray beside the line, where no other model is likelier than a fading path."""
    best = max(candidates, key=lambda candidate: candidate.told.log_evidence, default=None)
    if best is None or (best.told.name in RAYLESS_MODELS and not best.is_odd):
        return []
    density = density or record.noise_density(record.still(best.hertz), best.hertz)
    blocks = record.blocks(best.hertz, 0.0, density)
    hertz = best.hertz + blocks.loudest_hz()
    explanation = explain_ray(record.blocks(hertz, 0.0, density), best.told.log_evidence)
    return [] if explanation is None else [WeighedLine(hertz, 0.0, explanation)]


def _is_broad(candidates: list[WeighedLine], duration_s: float) -> bool:
    fine = [candidate for candidate in candidates if not candidate.is_odd]
    best = max(fine, key=lambda fine_candidate: fine_candidate.told.log_evidence, default=None)
    return best is None or (best.told.name == "fading" and best.told.spread_hz * duration_s > SPECTRUM_FIT_BINS)


def _spread(record: Record, within_hz: float, candidates: list[WeighedLine]) -> list[WeighedLine]:
    """Fit the spectrum of a line many bins wide."""
    best = max(candidates, key=lambda candidate: candidate.told.log_evidence, default=None)
    near_hz = 0.0 if best is None else best.place_hz
    around_hz = within_hz if best is None else min(4 * MAX_SPREAD_HZ, within_hz)
    try:
        faded = estimate_fading(record.narrow, record.rate_hz, near_hz, around_hz)
    except (NoCarrier, BadSamples):
        return []
    if faded.spread_hz * faded.duration_s < 1.0 or faded.left > 1 + MAX_RESIDUAL_SIGMAS * (2 / faded.freedom) ** 0.5:
        return []
    evidence = np.inf if best is None or best.is_odd else best.told.log_evidence + 1e3
    explanation = Explanation(
        "fading", float(min(evidence, 1e12)), 0.0, faded.sigma_hz**2, faded.left, faded.freedom,
        spread_hz=faded.spread_hz, signal=10 ** (faded.cn0_dbhz / 10) * faded.duration_s,
    )  # fmt: skip
    return [WeighedLine(faded.frequency_hz, 0.0, explanation)]


def weighed_carrier(
    record: Record, candidates: list[WeighedLine], density: float | None, min_sigma_hz: float
) -> Carrier:
    """Average over the models that explain the record; if none does, take the likeliest with its residual."""
    fine = [candidate for candidate in candidates if not candidate.is_odd]
    weighed = fine or candidates
    logs = np.array([weighed_candidate.told.log_evidence for weighed_candidate in weighed])
    weights = np.exp(logs - logs.max())
    weights /= weights.sum()
    best = _named(weighed)
    places = np.array([weighed_candidate.place_hz for weighed_candidate in weighed])
    variances = np.array([weighed_candidate.told.variance for weighed_candidate in weighed])
    place_hz = float(weights @ places)
    sigma_hz = float(weights @ (variances + (places - place_hz) ** 2)) ** 0.5
    if not fine:
        density = density or record.noise_density(record.still(best.hertz), best.hertz)
        blocks = record.blocks(best.hertz, best.drift_hz_per_s, density)
        width_hz = blocks.width_hz()
        if width_hz * record.duration_s > NO_CARRIER_BINS:
            raise NoCarrier(
                f"what stands there is no carrier: it is {format_hertz(2 * width_hz, 1.0, signed=False)} broad and no "
                "model of a carrier explains it; measure another station, or this one as narrow FM",
                best_hz=best.place_hz, best_snr_db=10 * float(np.log10(max(best.told.signal, 1e-9))),
                needed_db=MIN_BIN_SNR_DB,
            )  # fmt: skip
        sigma_hz = max(sigma_hz * best.told.left**0.5, width_hz)
    signal = max(best.told.signal, 1.0)
    carrier = Carrier(
        place_hz, max(sigma_hz, min_sigma_hz), 10 * float(np.log10(signal / record.duration_s)), record.duration_s,
        best.told.drift_hz_per_s, best.told.drift_sigma, name_of(record, best, density), best.told.spread_hz,
        is_adequate=bool(fine), remark=remark_of(best.told, bool(fine)), others=_others(best),
    )  # fmt: skip
    return msgspec.structs.replace(carrier, residual=_residual(record, carrier, density))


def _named(weighed: list[WeighedLine]) -> WeighedLine:
    """Select the likeliest model; a steady carrier unless another is clearly likelier."""
    best = max(weighed, key=lambda candidate: candidate.told.log_evidence)
    for candidate in weighed:
        if (
            candidate.told.name == "steady"
            and candidate.told.log_evidence > best.told.log_evidence - MODEL_LOG_ODDS_TO_NAME
        ):
            return candidate
    return best


def _others(best: WeighedLine) -> tuple[OtherLine, ...]:
    return tuple(
        msgspec.structs.replace(line, frequency_hz=best.hertz + line.frequency_hz) for line in best.told.others
    )


def _residual(record: Record, carrier: Carrier, density: float | None) -> tuple[tuple[float, float], ...]:
    """Relative level and phase of each block after removal of the steady line and its drift."""
    blocks = record.blocks(carrier.frequency_hz, 0.0, density or 1.0).condensed(RESIDUAL_POINTS)
    drift = carrier.drift_hz_per_s if abs(carrier.drift_hz_per_s) > 3 * carrier.drift_sigma else 0.0
    turned = blocks.turned(0.0, drift)
    turned = turned * np.exp(-1j * np.angle(turned.sum() or 1.0))
    mean = float(np.mean(np.abs(turned))) or 1.0
    return tuple((float(abs(block_sum)) / mean, float(np.angle(block_sum))) for block_sum in turned)
