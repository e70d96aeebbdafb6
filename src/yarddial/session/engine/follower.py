"""A known line followed beside whatever else is done: measured every few seconds, for as long as the stream runs."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.carrier import estimate_carrier
from yarddial.dsp.decimation import Decimator, decimation_for
from yarddial.session.engine.messages import Event, Follow, Followed
from yarddial.yard.errors import BadSamples, NoCarrier


class Follower:
    """Cuts the line's slice out of the raw stream; one measurement each `asked.every_s`."""

    def __init__(self, asked: Follow, rate_hz: float, centre_hz: float, report: Callable[[Event], None]) -> None:
        factor = decimation_for(rate_hz, 1.2 * asked.within_hz)
        self._slice = Decimator(rate_hz, asked.follow_hz - centre_hz, factor)
        self._asked, self._report = asked, report
        self._parts: list[NDArray[np.complex64]] = []
        self._have = 0

    def push(self, samples: NDArray[np.complex64]) -> None:
        """Take the receiver's own samples."""
        narrow = self._slice.push(samples)
        self._parts.append(narrow)
        self._have += narrow.size
        if self._have < self._asked.every_s * self._slice.out_rate_hz:
            return
        block, self._parts, self._have = np.concatenate(self._parts), [], 0
        try:
            found = estimate_carrier(block, self._slice.out_rate_hz, 0.0, self._asked.within_hz)
        except (NoCarrier, BadSamples):
            self._report(Followed(self._asked.id, None))
        else:
            self._report(Followed(self._asked.id, found))
