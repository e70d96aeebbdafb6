"""Desensitisation: what a strong signal costs a weak one by reciprocal mixing and by blocking."""

from collections.abc import Sequence
from math import log10
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.ghosts.filters import Filter, filter_against
from yarddial.analysis.ghosts.scene import ReceiverModel, Scene
from yarddial.analysis.ghosts.span import LINE_SUM, Span
from yarddial.yard.frequency_conversion import lo_weights, path_sense
from yarddial.yard.strong import Strong

DesenseKind = Literal["reciprocal mixing", "blocking"]
# Phase noise is stated at this offset and falls 20 dB per decade, by at most this much; the model starts at the
# nearest.
TOLD_AT_HZ, FLATTENS_DB, NEAREST_HZ = 100e3, 30.0, 1_000.0
# A smaller loss is inaudible.
MIN_COST_DB = 1.0
# Weak signals lose twice as much as the strong one in a cubic: 1 - 2 P / IIP3.
MIN_GAIN = 0.1
# Estimate the floor from this many pieces of the span, at a low percentile of each, where there is no signal.
SPAN_PIECES, FLOOR_PERCENTILE = 48, 30
# Name a strong signal when its share of the floor's shape exceeds this many sigma.
MIN_SIGNIFICANCE_SIGMA = 4.0


class Desense(msgspec.Struct, frozen=True):
    """Loss of signal to noise in the wanted channel, dB, with the signal that causes it and its distance."""

    kind: DesenseKind
    source: str
    away_hz: float
    costs_db: float
    level_dbm: float
    cure: Filter | None = None

    def sentence(self) -> str:
        """Description in plain words, with what helps."""
        what = "raises the floor" if self.kind == "reciprocal mixing" else "takes gain away"
        how = (
            "noise of the tuner's oscillator" if self.kind == "reciprocal mixing" else "the receiver is driven too hard"
        )
        return f"{self.source} {what}: {self.costs_db:.0f} dB lost here ({self.kind}: {how})"


def phase_noise_dbc_hz(receiver: ReceiverModel, away_hz: float) -> float:
    """Phase noise of the tuner's oscillator at an offset, dBc/Hz: 20 dB per decade, then flat."""
    return float(_skirt_dbc_hz(receiver, np.array([away_hz]))[0])


def _skirt_dbc_hz(receiver: ReceiverModel, away_hz: np.ndarray) -> np.ndarray:
    if receiver.phase_noise_dbc_hz is None:
        return np.full(away_hz.shape, -np.inf)
    decades = np.log10(np.maximum(np.abs(away_hz), NEAREST_HZ) / TOLD_AT_HZ)
    return np.asarray(receiver.phase_noise_dbc_hz - np.minimum(20 * decades, FLATTENS_DB))


def desensing(scene: Scene, dial_hz: float, width_hz: float, floor_dbm: float) -> tuple[Desense, ...]:
    """List what strong signals cost a channel, largest first, from one decibel on.

    Parameters
    ----------
    dial_hz, width_hz : float
        The wanted channel. A signal within it is the wanted one.
    floor_dbm : float
        Its noise without all that, at the socket.

    Notes
    -----
    Reciprocal mixing: the channel gets P + L(away) + 10 log10(width) of each strong one (Rohde & Whitaker,
    Communications Receivers, ch. 2). Blocking: a cubic takes 20 log10(1 - 2 sum P / IIP3) from whatever is weak.
    """
    receiver, desenses = scene.receiver, []
    others = [
        strong_signal
        for strong_signal in scene.strong
        if abs(strong_signal.frequency_hz - dial_hz) > (width_hz + strong_signal.width_hz) / 2
    ]
    level_dbm = _at_socket(scene, others)
    for strong_signal, dbm in zip(others, level_dbm, strict=True):
        away_hz = strong_signal.frequency_hz - dial_hz
        noise_dbm = dbm + phase_noise_dbc_hz(receiver, away_hz) + 10 * log10(width_hz)
        costs_db = 10 * log10(1 + 10 ** ((noise_dbm - floor_dbm) / 10))
        if costs_db >= MIN_COST_DB:
            desenses.append(_told("reciprocal mixing", strong_signal, away_hz, costs_db, dbm, dial_hz))
    if receiver.iip3_dbm is not None and others:
        strongest = int(np.argmax(level_dbm))
        costs_db = blocking_db([float(dbm) for dbm in level_dbm], receiver.iip3_dbm)
        if costs_db >= MIN_COST_DB:
            strong_signal = others[strongest]
            away_hz = strong_signal.frequency_hz - dial_hz
            desenses.append(_told("blocking", strong_signal, away_hz, costs_db, float(level_dbm[strongest]), dial_hz))
    return tuple(sorted(desenses, key=lambda strong_signal: -strong_signal.costs_db))


def blocking_db(levels_dbm: Sequence[float], iip3_dbm: float) -> float:
    """Loss of weak signals by strong ones at the socket."""
    share = sum(10 ** ((dbm - iip3_dbm) / 10) for dbm in levels_dbm)
    return -20 * log10(max(1 - 2 * share, MIN_GAIN))


def blocked_by(wanted_before_dbm: float, wanted_after_dbm: float, less_db: float, sigma_db: float) -> float:
    """Gain that a weak signal regained with attenuation in front; 0 where that is within the sigma."""
    back_db = less_db - (wanted_before_dbm - wanted_after_dbm)
    return back_db if back_db > 3 * sigma_db else 0.0


def skirt_share(span: Span, scene: Scene) -> tuple[float, float]:
    """How much of the floor is shaped like the noise that the strong signals' skirts would make, and its uncertainty.

    Of the model's own size: 1 where the parts' data are right, 0 where nothing of it is seen. The floor in PIECES of
    the span is fitted with a constant and the skirts' sum.

    Raises nothing; where all is flat the uncertainty is infinite.
    """
    count = span.level_dbm.size // SPAN_PIECES
    if count < 8 or not scene.strong:
        return 0.0, np.inf
    cut = span.level_dbm[: count * SPAN_PIECES].reshape(SPAN_PIECES, count)
    floor_mw = 10 ** (np.percentile(cut, FLOOR_PERCENTILE, axis=1) / 10)
    steps_hz = span.low_hz + np.arange(count * SPAN_PIECES) * span.step_hz
    places_hz = steps_hz.reshape(SPAN_PIECES, count).mean(axis=1)
    skirts = np.zeros(steps_hz.size)
    nearest_hz = np.full(SPAN_PIECES, np.inf)
    for strong_signal, dbm in zip(scene.strong, _at_socket(scene, scene.strong), strict=True):
        away_hz = steps_hz - strong_signal.frequency_hz
        noise = dbm + _skirt_dbc_hz(scene.receiver, away_hz)
        skirts += 10 ** ((noise + 10 * log10(span.step_hz * LINE_SUM)) / 10)
        nearest_hz = np.minimum(nearest_hz, np.abs(places_hz - strong_signal.frequency_hz))
    # Take the same percentile of both, since a skirt is steep within a piece.
    skirts_mw = np.percentile(skirts.reshape(SPAN_PIECES, count), FLOOR_PERCENTILE, axis=1)
    clean = np.abs(places_hz - span.centre_hz) < 0.4 * span.rate_hz
    # A piece that contains the strong signal itself shows its sidebands.
    clean &= nearest_hz > count * span.step_hz
    if clean.sum() < 8:
        return 0.0, np.inf
    # Normalise by the floor, so that both columns have similar size.
    level = float(np.median(floor_mw[clean]))
    weight = level / floor_mw[clean]
    matrix = np.stack([weight, skirts_mw[clean] / level * weight], axis=1)
    if matrix[:, 1].max() <= 0 or np.linalg.cond(matrix / np.linalg.norm(matrix, axis=0)) > 1e3:
        return 0.0, np.inf
    gram = np.linalg.inv(matrix.T @ matrix)
    projections = gram @ matrix.sum(axis=0)
    rest = 1 - matrix @ projections
    covariance = gram * float(rest @ rest) / (rest.size - 2)
    return float(projections[1]), float(covariance[1, 1] ** 0.5)


def _told(
    kind: DesenseKind, strong_signal: Strong, away_hz: float, costs_db: float, level_dbm: float, dial_hz: float
) -> Desense:
    # Attenuation that reduces this noise to a tenth of the floor's, or the gain loss to half a decibel.
    left = (10 ** (costs_db / 10) - 1) / 0.1 if kind == "reciprocal mixing" else (1 - 10 ** (-costs_db / 20)) / 2 / 0.03
    cure = filter_against(dial_hz, strong_signal.frequency_hz, max(10 * log10(left), 3.0))
    return Desense(kind, strong_signal.name, away_hz, costs_db, level_dbm, cure)


def _at_socket(scene: Scene, strong: Sequence[Strong]) -> np.ndarray:
    level = np.array([strong_signal.level_dbm for strong_signal in strong])
    if scene.gain_db is None or not strong:
        return level
    lo_hz = sum(w * (s.lo_hz + s.lo_error_hz) for w, s in zip(lo_weights(scene.stages), scene.stages, strict=True))
    socket = path_sense(scene.stages) * np.array([strong_signal.frequency_hz for strong_signal in strong]) + lo_hz
    return np.asarray(level + scene.gain_db(np.abs(socket)))
