"""Tap for the spectrum of the whole span from all samples, reported a few times a second."""

from collections.abc import Callable

from yarddial.dsp.survey import SpanSurveyor
from yarddial.engine.events import BINS_A_POINT, Event, SpanSpectrum
from yarddial.engine.taps.tap import ALL_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning

# Reporting interval.
SPAN_S = 0.25


class SpanSurvey:
    """The engine's own survey, which continues over streams."""

    job, asked = 0, None
    survives = ALL_RESTS

    def __init__(self, report: Callable[[Event], None]) -> None:
        self._report = report
        self._tuning: Tuning | None = None
        self._surveyor = SpanSurveyor()
        self._surveyed = 0

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Restart the averages."""
        self._tuning, self._surveyor, self._surveyed = tuning, SpanSurveyor(), 0

    def push(self, piece: Piece) -> bool:
        """Add a block to the averages."""
        tuning = self._tuning
        if tuning is None:
            return False
        self._surveyor.push(piece.cleaned)
        self._surveyed += piece.cleaned.size
        if self._surveyed >= SPAN_S * tuning.rate_hz:
            seen = self._surveyor.result()
            self._surveyor.clear()
            self._surveyed = 0
            if seen.count:
                mean_db, peak_db = (db.reshape(-1, BINS_A_POINT).max(axis=1) for db in (seen.mean_db, seen.peak_db))
                self._report(SpanSpectrum(tuning.centre_hz, tuning.rate_hz, mean_db, peak_db, seen.spike_db, tuning.id))
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Stop reporting."""
        self._tuning = None
