"""Blind calibration from a recording: find all carriers, then the raster they fit."""

from collections.abc import Sequence

import msgspec

from yarddial.analysis.blind.raster_fit import (
    HEARD_UPRIGHT,
    INVERTED_PRIOR,
    BlindAnswer,
    Hypothesis,
    LoHypothesis,
    RasterCarrier,
    fit_raster,
    usual_rasters_hz,
)
from yarddial.dsp.all_lines import all_lines
from yarddial.records.recordings import Recording
from yarddial.yard.errors import BadObservations
from yarddial.yard.frequency import format_frequency
from yarddial.yard.frequency_conversion import Stage, shown_for_dial
from yarddial.yard.oscillator_classes import classes_at, sigma_ppm_at

# Airband towers offset their carriers on purpose.
AIRBAND_HZ = (117.975e6, 137e6)
# Carriers closer together than this share of the finest raster are sidebands.
SIDEBAND_RASTER_SHARE = 0.3


def blind_in_recording(
    recording: Recording,
    stages: Sequence[Stage],
    rasters_hz: Sequence[float] = (),
    stated_hz: Sequence[float] = (),
    prior_ppm: float = 60.0,
    lo_sigma_hz: float | None = None,
    *,
    is_upright: bool = False,
) -> BlindAnswer:
    """Find the dial's error at the recording's centre.

    stages : the path, entered oscillators. stated_hz : other values that the last oscillator may really have.
    rasters_hz : to be tried; those usual in the band by default. lo_sigma_hz : uncertainty of all oscillators together.
    is_upright : somebody has heard that the spectrum is not turned over against what the path says.

    Raises
    ------
    BadObservations
        The band is the airband, or too few carriers stand in it.
    """
    centre_hz = recording.centre_hz
    if AIRBAND_HZ[0] < centre_hz < AIRBAND_HZ[1]:
        raise BadObservations(
            f"{format_frequency(centre_hz)} is in the airband, whose carriers are offset on purpose: scan another band"
        )
    rasters = tuple(rasters_hz) or usual_rasters_hz(centre_hz)
    lines = all_lines(recording.read(), recording.rate_hz, SIDEBAND_RASTER_SHARE * min(rasters))
    seen = [RasterCarrier(centre_hz + line.carrier.frequency_hz, line.carrier.sigma_hz) for line in lines]
    lo_hypotheses = _lo_hypotheses(centre_hz, stages, stated_hz, lo_sigma_hz)
    share = HEARD_UPRIGHT if is_upright else INVERTED_PRIOR
    answer = fit_raster(seen, lo_hypotheses, rasters, prior_ppm, centre_hz=centre_hz, inverted_share=share)
    moved = tuple(_at(h, centre_hz - answer.middle_hz) for h in answer.hypotheses)
    return msgspec.structs.replace(answer, hypotheses=moved, middle_hz=centre_hz)


def _lo_hypotheses(
    dial_hz: float, stages: Sequence[Stage], stated_hz: Sequence[float], lo_sigma_hz: float | None
) -> tuple[LoHypothesis, ...]:
    port_hz = abs(shown_for_dial(dial_hz, tuple(stages)))
    if not stages:
        return (LoHypothesis("direct", 0.0, port_hz, 0.0),)
    # Treat several oscillators as one at their sum, in the least accurate class among them.
    total_hz = sum(stage.lo_hz for stage in stages)
    classes: tuple[tuple[float, float], ...] = tuple(
        (oscillator_class.share, oscillator_class.sigma_ppm * 1e-6 * total_hz)
        for oscillator_class in classes_at(max(stage.lo_hz for stage in stages))
    )
    sigma_hz = sigma_ppm_at(max(stage.lo_hz for stage in stages)) * 1e-6 * total_hz
    if lo_sigma_hz is not None:
        classes, sigma_hz = (), lo_sigma_hz
    entered_hz = stages[-1].lo_hz
    lo_hypotheses = [LoHypothesis(format_frequency(entered_hz), 0.0, port_hz, sigma_hz, classes)]
    for other_hz in stated_hz:
        if other_hz != entered_hz:
            # With a sum converter the dial reads high by the true minus the entered oscillator, otherwise low.
            moves_hz = (entered_hz - other_hz) * (1 if stages[-1].kind == "sum" else -1)
            lo_hypotheses.append(LoHypothesis(format_frequency(other_hz), moves_hz, port_hz, sigma_hz, classes))
    return tuple(lo_hypotheses)


def _at(h: Hypothesis, away_hz: float) -> Hypothesis:
    """Offset at another frequency of the band: e - p (F - F_m)."""
    offset_hz = h.offset_hz - h.ppm * 1e-6 * away_hz
    sigma_hz = float((h.sigma_hz**2 + (h.ppm_sigma * 1e-6 * away_hz) ** 2) ** 0.5)
    return msgspec.structs.replace(h, offset_hz=offset_hz, sigma_hz=sigma_hz)
