"""A sweep over a gain stage's steps on the running receiver: floor, channel and full samples at each."""

import numpy as np
from numpy.typing import NDArray

from yarddial.session.engine.messages import Sweep, SweepPoint

Complex = NDArray[np.complex64]
POINTS = 4096
# Samples that were on their way when the gain was set; then what is measured.
SETTLES_S, DWELLS_S = 0.05, 0.15
# Beside the channel, from its edge on, so far out is the floor looked for; and nothing about the centre.
BESIDE_HZ, CENTRE_HZ = 150e3, 2_000.0
FULL = 0.985


class GainSweep:
    """Gathers one step after the other; told when the gain has been set."""

    def __init__(self, sweep: Sweep, rate_hz: float, offset_hz: float) -> None:
        self._sweep, self._rate_hz, self._offset_hz = sweep, rate_hz, offset_hz
        self._at = -1
        self._skipped = self._kept = 0
        self._parts: list[Complex] = []

    def next_gain_db(self) -> float | None:
        """The next step's gain, for the receiver to be set to; None when all are done."""
        self._at += 1
        self._skipped = self._kept = 0
        self._parts = []
        return self._sweep.steps_db[self._at] if self._at < len(self._sweep.steps_db) else None

    def push(self, samples: Complex) -> SweepPoint | None:
        """Take samples; return the step's result once there are enough."""
        wait = int(SETTLES_S * self._rate_hz) - self._skipped
        self._skipped += min(wait, samples.size)
        samples = samples[wait:] if wait > 0 else samples
        if samples.size:
            self._parts.append(samples)
            self._kept += samples.size
        if self._kept < DWELLS_S * self._rate_hz:
            return None
        return self._measured(np.concatenate(self._parts))

    def _measured(self, samples: Complex) -> SweepPoint:
        import scipy.signal

        hertz, density = scipy.signal.welch(
            samples, self._rate_hz, "hann", POINTS, return_onesided=False, scaling="density", detrend=False
        )
        bin_hz, half_hz = self._rate_hz / POINTS, max(self._sweep.width_hz / 2, self._rate_hz / POINTS)
        away = np.abs(hertz - self._offset_hz)
        clear = (np.abs(hertz) > CENTRE_HZ) & (np.abs(hertz) < 0.42 * self._rate_hz)
        beside = clear & (away > half_hz + 4 * bin_hz) & (away < half_hz + BESIDE_HZ)
        floor = float(np.median(density[beside])) if beside.any() else float(np.median(density))
        channel = float(density[away <= half_hz].sum() * bin_hz)
        parts = samples.view(np.float32)
        return SweepPoint(
            self._sweep.id,
            self._sweep.steps_db[self._at],
            10 * float(np.log10(max(floor, 1e-20))),
            10 * float(np.log10(max(channel, 1e-20))),
            2 * half_hz,
            float(np.mean(np.abs(parts) > FULL)),
            (self._at + 1) / len(self._sweep.steps_db),
        )
