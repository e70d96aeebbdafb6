"""Tap that measures a known line every few seconds, beside everything else."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.engine.commands import Follow
from yarddial.engine.events import Event, Followed
from yarddial.engine.taps.tap import ALL_RESTS, EndCause, Piece, StreamChange
from yarddial.engine.tuning import Tuning
from yarddial.yard.errors import BadSamples, NoCarrier


class Follower:
    """Measure a carrier every `asked.every_s` in a slice of the stream; outside the span there is none."""

    survives = ALL_RESTS

    def __init__(self, asked: Follow, report: Callable[[Event], None]) -> None:
        self.job, self.asked, self._report = asked.job, asked, report
        self._slice: Decimator | None = None
        self._parts: list[NDArray[np.complex64]] = []
        self._have = 0

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """Start following; another slice of the same span does not restart it."""
        if change == "slice" and self._slice is not None:
            return
        self._slice, self._parts, self._have = None, [], 0
        away_hz = self.asked.follow_hz - tuning.centre_hz
        if abs(away_hz) < tuning.rate_hz / 2:
            self._slice = Decimator(tuning.rate_hz, away_hz, decimation_for(tuning.rate_hz, 1.2 * self.asked.within_hz))

    def push(self, piece: Piece) -> bool:
        """Measure the followed carrier in a block."""
        if self._slice is None:
            return False
        narrow = self._slice.push(piece.cleaned)
        self._parts.append(narrow)
        self._have += narrow.size
        rate_hz = self._slice.out_rate_hz
        if self._have >= self.asked.every_s * rate_hz:
            block, self._parts, self._have = np.concatenate(self._parts), [], 0
            try:
                carrier = estimate_carrier(block, rate_hz, 0.0, self.asked.within_hz)
            except (NoCarrier, BadSamples):
                carrier = None
            self._report(Followed(carrier, piece.tuning.id, job=self.job, id=self.asked.id))
        return False

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End without a message, since nobody waits for one."""
