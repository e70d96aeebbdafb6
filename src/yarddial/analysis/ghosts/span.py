"""A measured span: levels over the dial, its floor, and the peaks above it."""

import msgspec
import numpy as np

from yarddial.analysis.ghosts.scene import Floats

# Minimum height of a peak above the floor; minimum distance to a stronger one, in steps.
PEAK_OVER_SPAN_FLOOR_DB, APART_STEPS = 12.0, 6
# Sum over the steps of one line relative to its highest step.
LINE_SUM = 1.5
# Broadcast sidebands: this close to the carrier, at least this far below it, and symmetric within this many dB.
SIDEBAND_HZ, SIDEBAND_DB, MIRRORED_DB = 10e3, 5.5, 3.0
# Usable share of the span from its centre; beyond it aliases appear.
CLEAN_SHARE = 0.4


class Peak(msgspec.Struct, frozen=True):
    """A peak: dial frequency and level at the socket."""

    dial_hz: float
    level_dbm: float


class Span(msgspec.Struct, frozen=True):
    """Levels in dBm per step, low end of the dial first.

    low_hz : middle of the first step. centre_hz, rate_hz : on the dial. within_hz : frequency uncertainty.
    clipped_share : share of samples at full scale.
    """

    low_hz: float
    step_hz: float
    level_dbm: Floats
    centre_hz: float
    rate_hz: float
    within_hz: float
    clipped_share: float = 0.0

    @property
    def floor_dbm(self) -> float:
        """Median of all levels: noise, unless the span is full."""
        return float(np.median(self.level_dbm))

    def covers(self, dial_hz: float) -> bool:
        """Return True inside the usable part."""
        return abs(dial_hz - self.centre_hz) < CLEAN_SHARE * self.rate_hz

    def power_dbm(self, dial_hz: float, width_hz: float) -> float:
        """Total power above the floor within a width: a carrier's level, or the sum of a wide signal."""
        index = np.arange(self.level_dbm.size)
        inside = np.abs(self.low_hz + index * self.step_hz - dial_hz) <= max(width_hz / 2, 2 * self.step_hz)
        over = 10 ** (self.level_dbm[inside] / 10) - 10 ** (self.floor_dbm / 10)
        # A line of power 1 fills three steps of a Hann window, 1 and 1/4 twice: together one and a half.
        return float(10 * np.log10(max(over.sum() / LINE_SUM, 1e-30)))

    def strongest(self, dial_hz: float, reach_hz: float) -> float:
        """Highest level within a distance of a frequency."""
        return msgspec.structs.replace(self, within_hz=reach_hz).level_near(dial_hz)

    def level_near(self, dial_hz: float) -> float:
        """Highest level within the frequency uncertainty."""
        reach = max(self.within_hz, self.step_hz)
        first = int(np.floor((dial_hz - reach - self.low_hz) / self.step_hz + 0.5))
        last = int(np.ceil((dial_hz + reach - self.low_hz) / self.step_hz - 0.5))
        return float(self.level_dbm[max(first, 0) : max(last, first) + 1].max(initial=-300.0))

    def peaks(self, limit: int = 60, stands_db: float = PEAK_OVER_SPAN_FLOOR_DB) -> tuple[Peak, ...]:
        """Peaks in the usable part, strongest first; skirts of stronger peaks are excluded."""
        level = self.level_dbm
        tops = np.zeros(level.size, bool)
        tops[1:-1] = (level[1:-1] >= level[:-2]) & (level[1:-1] > level[2:])
        tops &= level > self.floor_dbm + stands_db
        peak_bins: list[int] = []
        for index in sorted(np.flatnonzero(tops).tolist(), key=lambda i: -float(level[i])):
            if not self.covers(self._place(index)) or any(abs(index - other) <= APART_STEPS for other in peak_bins):
                continue
            if not any(self._is_sideband(index, other) for other in peak_bins):
                peak_bins.append(index)
            if len(peak_bins) >= limit:
                break
        return tuple(Peak(self._fine(index), float(level[index])) for index in peak_bins)

    def _is_sideband(self, index: int, carrier: int) -> bool:
        """Return True when a line has a twin on the other side of a stronger one."""
        level, twin = self.level_dbm, 2 * carrier - index
        if abs(index - carrier) * self.step_hz > SIDEBAND_HZ or not 1 <= twin < level.size - 1:
            return False
        is_weaker = level[index] < level[carrier] - SIDEBAND_DB
        return bool(is_weaker and abs(level[twin - 1 : twin + 2].max() - level[index]) < MIRRORED_DB)

    def _place(self, index: float) -> float:
        return self.low_hz + index * self.step_hz

    def _fine(self, index: int) -> float:
        """Interpolate a maximum by a parabola through it and its neighbours."""
        left, top, right = self.level_dbm[index - 1 : index + 2]
        bend = left - 2 * top + right
        return self._place(index + (0.5 * float((left - right) / bend) if bend < 0 else 0.0))
