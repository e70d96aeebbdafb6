"""The whole span's spectrum, every sample of it, told a few times a second."""

from collections.abc import Callable

from yarddial.dsp.survey import SpanSurveyor
from yarddial.engine.messages import TOGETHER, Event, SpanSpectrum
from yarddial.engine.taps.tap import EVERYTHING, EndCause, Piece, Stream, StreamChange

# So often.
SPAN_S = 0.25


class SpanSurvey:
    """The engine's own; it goes on with whatever stream there is."""

    job = 0
    survives = EVERYTHING

    def __init__(self, report: Callable[[Event], None]) -> None:
        self._report = report
        self._stream: Stream | None = None
        self._surveyor = SpanSurveyor()
        self._surveyed = 0

    def begin(self, stream: Stream, change: StreamChange) -> None:
        """Begin anew."""
        self._stream, self._surveyor, self._surveyed = stream, SpanSurveyor(), 0

    def push(self, piece: Piece) -> bool:
        """Take a block."""
        stream = self._stream
        if stream is None:
            return False
        self._surveyor.push(piece.cleaned)
        self._surveyed += piece.cleaned.size
        if self._surveyed >= SPAN_S * stream.rate_hz:
            seen = self._surveyor.result()
            self._surveyor.clear()
            self._surveyed = 0
            if seen.count:
                mean_db, peak_db = (db.reshape(-1, TOGETHER).max(axis=1) for db in (seen.mean_db, seen.peak_db))
                self._report(SpanSpectrum(stream.centre_hz, stream.rate_hz, mean_db, peak_db, seen.spike_db))
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Nothing is seen any more."""
        self._stream = None
