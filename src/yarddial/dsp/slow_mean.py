"""A slow running mean, and linear interpolation between its values."""

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
        """Delay in samples: half of the sixteen steps."""
        return self._step * 8

    def push(self, values: NDArray[Any]) -> NDArray[Any]:
        """Return the mean at each sample, from all input so far."""
        if not values.size:
            # Without input there is no mean to start from.
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
        # The unfinished step has no end value yet, so it keeps the last mean.
        knots = np.concatenate([means, means[-1:], means[-1:]])
        mean = ramps(knots, self._step)[self._part.size : joined.size]
        self._part = joined[count * self._step :].copy()
        return mean


def ramps(knots: NDArray[Any], step: int) -> NDArray[Any]:
    """Interpolate between knots in `step` samples each: (knots - 1) x step values, the last knot left out."""
    share = (np.arange(step) / step).astype(np.float32)
    rows: NDArray[Any] = knots[:-1, None] + (knots[1:] - knots[:-1])[:, None] * share
    return np.asarray(rows.reshape(-1))
