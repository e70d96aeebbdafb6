"""One channel of the stream heard."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.engine.messages import Event, Hear, Sound
from yarddial.engine.taps.tap import EVERYTHING, EndCause, Piece, Stream, StreamChange
from yarddial.yard.errors import BadSamples

if TYPE_CHECKING:
    from yarddial.dsp.listening.hearing import ContinuousHearing


class Ear:
    """Hears one channel and reports its sound; what cannot be heard is silence."""

    survives = EVERYTHING

    def __init__(self, asked: Hear, report: Callable[[Event], None]) -> None:
        self.job, self.asked, self._report = asked.job, asked, report
        self._hearing: ContinuousHearing | None = None
        self._stream: Stream | None = None

    def take_over(self, former: "Ear") -> None:
        """Go on with what the former heard: it is faded into what is asked now."""
        self._hearing, self._stream = former._hearing, former._stream

    def begin(self, stream: Stream, change: StreamChange) -> None:
        """Begin on the channel; another slice of the same span leaves what is heard alone."""
        from yarddial.dsp.listening.hearing import ContinuousHearing

        if change == "slice" and self._hearing is not None:
            return
        former, self._stream = self._stream, stream
        away_hz = self.asked.hear_hz - stream.centre_hz
        if abs(away_hz) > stream.rate_hz / 2:
            self._hearing = None
            return
        try:
            if self._hearing is not None and former is not None and former.rate_hz == stream.rate_hz:
                self._hearing.change(away_hz, self.asked.settings)
            else:
                self._hearing = ContinuousHearing(stream.rate_hz, away_hz, self.asked.settings)
        except BadSamples:
            self._hearing = None

    def push(self, piece: Piece) -> bool:
        """Hear it."""
        if self._hearing is None:
            return False
        heard = self._hearing.push(piece.cleaned)
        if heard.sound.size:
            self._report(
                Sound(
                    self._hearing.sound_hz, heard.sound, heard.level_dbfs, heard.is_open, heard.pilot_db,
                    job=self.job, id=self.asked.id,
                )
            )  # fmt: skip
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """Silence says it."""
