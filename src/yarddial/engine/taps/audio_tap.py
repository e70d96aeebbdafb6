"""Tap that demodulates one channel of the stream."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from yarddial.engine.commands import Hear
from yarddial.engine.events import Event, Sound
from yarddial.engine.taps.tap import ALL_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning
from yarddial.yard.errors import BadSamples

if TYPE_CHECKING:
    from yarddial.dsp.listening.hearing import ContinuousHearing


class AudioTap:
    """Demodulate one channel and report its audio; an impossible channel is silent."""

    survives = ALL_RESTS

    def __init__(self, asked: Hear, report: Callable[[Event], None]) -> None:
        self.job, self.asked, self._report = asked.job, asked, report
        self._hearing: ContinuousHearing | None = None
        self._tuning: Tuning | None = None

    def take_over(self, former: "AudioTap") -> None:
        """Continue from the former tap with a cross-fade."""
        self._hearing, self._tuning = former._hearing, former._tuning

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Begin on the channel; another slice of the same span does not interrupt the audio."""
        from yarddial.dsp.listening.hearing import ContinuousHearing

        if change == "slice" and self._hearing is not None:
            return
        former, self._tuning = self._tuning, tuning
        away_hz = self.asked.hear_hz - tuning.centre_hz
        if abs(away_hz) > tuning.rate_hz / 2:
            self._hearing = None
            return
        try:
            if self._hearing is not None and former is not None and former.rate_hz == tuning.rate_hz:
                self._hearing.change(away_hz, self.asked.settings)
            else:
                self._hearing = ContinuousHearing(tuning.rate_hz, away_hz, self.asked.settings)
        except BadSamples:
            self._hearing = None

    def push(self, piece: Piece) -> bool:
        """Demodulate a block and report the audio."""
        if self._hearing is None:
            return False
        heard = self._hearing.push(piece.cleaned)
        if heard.sound.size:
            self._report(
                Sound(
                    self._hearing.sound_hz, heard.sound, heard.level_dbfs, heard.is_open, heard.pilot_db,
                    piece.tuning.id, job=self.job, id=self.asked.id,
                )
            )  # fmt: skip
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End without a message: the audio simply stops."""
