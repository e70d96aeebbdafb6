"""Tap that decimates one channel for a listener at a distance."""

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yarddial.engine.commands import SendChannel
from yarddial.engine.events import ChannelSamples, Event
from yarddial.engine.taps.tap import ALL_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning

if TYPE_CHECKING:
    from yarddial.dsp.listening.thin_channel import ThinChannel


class ChannelSender:
    """Send samples as they come; an impossible channel sends none."""

    survives = ALL_RESTS

    def __init__(self, asked: SendChannel, report: Callable[[Event], None]) -> None:
        self.job, self.asked, self._report = asked.job, asked, report
        self._thin: ThinChannel | None = None

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Begin on the channel; another slice of the same span does not interrupt it."""
        from yarddial.dsp.listening.thin_channel import ThinChannel

        if change == "slice" and self._thin is not None:
            return
        away_hz = self.asked.hear_hz - tuning.centre_hz
        settings = self.asked.settings
        self._thin = None
        if abs(away_hz) <= tuning.rate_hz / 2:
            self._thin = ThinChannel(tuning.rate_hz, away_hz, settings.low_hz, settings.high_hz)

    def push(self, piece: Piece) -> bool:
        """Decimate a block and report the channel's samples."""
        if self._thin is None:
            return False
        samples = self._thin.push(piece.cleaned)
        if samples.size:
            thin = self._thin
            self._report(
                ChannelSamples(
                    thin.rate_hz, thin.middle_hz, thin.factor, np.ascontiguousarray(samples), piece.tuning.id,
                    job=self.job, id=self.asked.id,
                )
            )  # fmt: skip
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End without a message: the samples simply stop."""
