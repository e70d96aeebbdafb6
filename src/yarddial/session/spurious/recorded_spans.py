"""True or spurious by recordings: the same part of the dial at another centre, rate or attenuation."""

from collections.abc import Sequence
from pathlib import Path

import msgspec
import numpy as np

from yarddial.analysis.ghosts.judging import SettingChange, SpanRecord, causes, judge
from yarddial.analysis.ghosts.prediction import predict
from yarddial.analysis.ghosts.scene import ReceiverModel, Scene
from yarddial.analysis.ghosts.span import Span
from yarddial.dsp.carrier import CLIPPED_SHARE
from yarddial.dsp.spectra import hann_spectra
from yarddial.records.recordings import Recording, open_recording
from yarddial.session.spurious.judged_span import MAX_PEAKS, PEAK_OVER_FLOOR_DB, STRONG_OVER_DB, Recorded
from yarddial.yard.errors import BadRecording
from yarddial.yard.frequency import format_frequency
from yarddial.yard.strong import Strong

# FFT length, and the number of transforms spread over each recording.
FFT_POINTS, MAX_BLOCKS = 8192, 300
# Level uncertainty between recordings made at different times: fading and another floor, one sigma.
LEVEL_SIGMA_DB = 6.0
# The receiver of a recording is unknown: assume a poor one, so that no possibility is left out. Intercepts relative to
# full scale.
WORST_RECEIVER_MODEL = ReceiverModel(mirror_db=35.0, iip2_dbm=30.0, iip3_dbm=5.0)
# Tests that a recording cannot show: they need another receiver, or hands.
UNRECORDED_TESTS: frozenset[SettingChange] = frozenset(("route", "antenna", "gain"))
# Centres closer together than this share of the rate give no information.
MIN_SHARE = 0.01


def judge_recordings(
    paths: Sequence[Path], *, less_db: float = 0.0, sense: int = 1, has_converter: bool = False
) -> Recorded:
    """Judge every peak of the first recording by its places in the others.

    Parameters
    ----------
    paths : two or more files
        Each tells its rate and what the dial showed at its centre. They differ in centre or in rate.
    less_db : float
        So much attenuation stood before the receiver in the last one; 0 for none.
    sense : int
        -1 where the dial runs against the recordings' frequencies.
    has_converter : bool
        A signal may have passed a converter unconverted.

    Raises
    ------
    BadRecording
        A file cannot be read, they do not overlap, or nothing was changed between them.
    """
    if len(paths) < 2:
        raise BadRecording("one recording tells nothing of ghosts: give a second one, made with the centre moved")
    recordings = [open_recording(path) for path in paths]
    before = _span(recordings[0], paths[0], sense)
    peaks = before.peaks(MAX_PEAKS, PEAK_OVER_FLOOR_DB)
    records: list[SpanRecord] = []
    for number, (path, recording) in enumerate(zip(paths[1:], recordings[1:], strict=True), 2):
        falls_db = less_db if number == len(paths) else 0.0
        records += _records(before, _span(recording, path, sense), path, falls_db)
    strong = [p for p in peaks if p.level_dbm > before.floor_dbm + STRONG_OVER_DB]
    scene = Scene(
        tuple(Strong(p.dial_hz, p.level_dbm, format_frequency(p.dial_hz, 0)) for p in strong),
        receiver=WORST_RECEIVER_MODEL,
    )
    ghosts = predict(scene, before.centre_hz, before.rate_hz, before.floor_dbm)
    judged = []
    for peak in peaks:
        able = causes(peak.dial_hz, None, ghosts, before.within_hz / 2, has_converter=has_converter, seen=before)
        judged.append((peak, judge(able, peak, records, UNRECORDED_TESTS)))
    return Recorded(before, tuple(judged), ghosts, tuple(records))


def _records(before: Span, then: Span, path: Path, less_db: float) -> list[SpanRecord]:
    """Changes between recordings, each separately."""
    moved_hz, rated_hz = then.centre_hz - before.centre_hz, then.rate_hz - before.rate_hz
    if abs(moved_hz) > 0.8 * max(before.rate_hz, then.rate_hz):
        raise BadRecording(
            f"{path.name} lies {abs(moved_hz) / 1e6:.3f} MHz beside the first recording: move the centre by less than "
            "half of the span"
        )
    is_moved, is_rated = abs(moved_hz) > MIN_SHARE * before.rate_hz, abs(rated_hz) > 1.0
    if is_moved + is_rated + bool(less_db) != 1:
        change_words = "nothing" if not (is_moved or is_rated or less_db) else "more than one thing"
        raise BadRecording(
            f"{change_words} was changed between the first recording and {path.name}: change the centre, or the rate, "
            "or the attenuation, one at a time"
        )
    if less_db:
        return [SpanRecord("attenuation", less_db, then, sigma_db=LEVEL_SIGMA_DB / 2)]
    # The gain may differ, so compare levels over their floors.
    more_db = before.floor_dbm - then.floor_dbm
    then = msgspec.structs.replace(then, level_dbm=then.level_dbm + more_db)
    if is_moved:
        return [SpanRecord("centre", moved_hz, then, sigma_db=LEVEL_SIGMA_DB)]
    return [SpanRecord("rate", rated_hz, then, sigma_db=LEVEL_SIGMA_DB)]


def _span(recording: Recording, path: Path, sense: int) -> Span:
    """Levels in dB relative to full scale, on the dial."""
    count = recording.count // FFT_POINTS
    if count < 4:
        raise BadRecording(
            f"{path.name} is too short: {4 * FFT_POINTS} samples are the least to tell noise from signals"
        )
    step = max(count // MAX_BLOCKS, 1)
    total, clipped = np.zeros(FFT_POINTS), 0
    used = range(0, count, step)
    for block in used:
        samples = recording.read(block * FFT_POINTS, FFT_POINTS)
        total += hann_spectra(samples[None, :])[0]
        clipped += int(np.count_nonzero(np.maximum(np.abs(samples.real), np.abs(samples.imag)) >= 0.99))
    if (share := clipped / (len(used) * FFT_POINTS)) > CLIPPED_SHARE:
        raise BadRecording(
            f"{share:.1%} of the samples of {path.name} are at full scale: what an overloaded ADC makes stands where "
            "signals do; record again with less gain"
        )
    level = 10 * np.log10(np.maximum(total / len(used), 1e-24))
    bin_hz = recording.rate_hz / FFT_POINTS
    low_hz = recording.centre_hz - recording.rate_hz / 2
    if (sense < 0) != recording.inverted:
        # The lowest dial bin is the highest of the recording, one short of its end.
        level, low_hz = level[::-1].copy(), low_hz + bin_hz
    return Span(low_hz, bin_hz, level, recording.centre_hz, recording.rate_hz, 2 * bin_hz)
