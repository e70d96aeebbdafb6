"""Digital silence of a sound input is no signal: no receiver is connected, or its player pauses."""

import msgspec
import numpy as np
from numpy.typing import NDArray

Complex = NDArray[np.complex64]
# Noise of a real receiver never leaves both channels at exactly zero for this many samples.
MIN_SILENT_SAMPLES = 64


class Stretch(msgspec.Struct, frozen=True):
    """Samples between two silences, and the number of silent ones before them."""

    samples: Complex
    silent_before: int


class SilenceFilter:
    """Removes silences and counts them; a silence may span many blocks."""

    def __init__(self) -> None:
        self._silent = 0

    def push(self, samples: Complex) -> list[Stretch]:
        """Non-silent parts of a block."""
        zero = samples == 0
        if not zero.any():
            silent, self._silent = self._silent, 0
            return [Stretch(samples, silent)]
        edges = np.flatnonzero(np.diff(np.concatenate([[False], zero, [False]]).astype(np.int8)))
        stretches: list[Stretch] = []
        at = 0
        for first, last in edges.reshape(-1, 2).tolist():
            # A short run at an end may be part of a long one.
            runs_on = (first == 0 and self._silent > 0) or last == samples.size
            if last - first < MIN_SILENT_SAMPLES and not runs_on:
                continue
            if first > at:
                stretches.append(Stretch(samples[at:first], self._silent))
                self._silent = 0
            self._silent += last - first
            at = last
        if at < samples.size:
            stretches.append(Stretch(samples[at:], self._silent))
            self._silent = 0
        return stretches
