"""A running mean that follows slow changes, and straight lines between values known now and then."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from yarddial.dsp.windows import windows

_HANN = (np.hanning(18)[1:-1] / np.hanning(18).sum()).astype(np.float32)


class SlowMean:
    """Hann-weighted running mean in steps of a sixteenth of its length, started with the first value.

    Between the steps it is drawn straight. It follows slow fading and leaves tones above 2 / seconds alone.
    """

    def __init__(self, rate_hz: float, seconds_s: float) -> None:
        self._step = max(int(rate_hz * seconds_s / 16), 1)
        self._recent: NDArray[Any] | None = None
        self._part: NDArray[Any] = np.empty(0, np.float32)

    @property
    def delay(self) -> int:
        """By how many samples it is late: half of the sixteen steps."""
        return self._step * 8

    def push(self, values: NDArray[Any]) -> NDArray[Any]:
        """The mean at each of the samples, of what has come until then."""
        if not values.size:
            # Nothing tells nothing: a mean that begins with it would begin at nought.
            return values
        joined = np.concatenate([self._part, values])
        count = joined.size // self._step
        steps = joined[: count * self._step].reshape(count, self._step).mean(axis=1)
        if self._recent is None:
            self._recent = np.full(16, joined.mean(), joined.dtype)
        known = np.concatenate([self._recent, steps])
        # means[k] is known at the end of step k - 1.
        means = windows(known, 16, 1, known.size - 15) @ _HANN
        self._recent = known[-16:]
        # The step that has only begun has no end yet: it keeps the last mean.
        knots = np.concatenate([means, means[-1:], means[-1:]])
        mean = ramps(knots, self._step)[self._part.size : joined.size]
        self._part = joined[count * self._step :].copy()
        return mean


def ramps(knots: NDArray[Any], step: int) -> NDArray[Any]:
    """From each knot to the next in `step` samples: (knots - 1) x step of them, the last knot left out."""
    share = (np.arange(step) / step).astype(np.float32)
    rows: NDArray[Any] = knots[:-1, None] + (knots[1:] - knots[:-1])[:, None] * share
    return np.asarray(rows.reshape(-1))
