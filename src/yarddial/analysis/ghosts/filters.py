"""Choice of a filter or attenuator that removes a strong signal and passes the wanted one: edges, poles, decibels."""

from collections.abc import Callable
from math import ceil, log10

import msgspec
import numpy as np

from yarddial.analysis.ghosts.scene import Floats
from yarddial.yard.frequency import format_frequency
from yarddial.yard.parts.two_port import FilterKind

# Filter orders that hobbyists build.
POLES = (3, 5, 7)
NOTCH_DB, NOTCH_HALF, NOTCH_APART = 40.0, 0.025, 0.06
# Ask for this margin, since parts are not exact; keep the edge this ratio from the wanted signal, where three poles
# lose half a decibel.
MARGIN_DB, EDGE_AWAY = 3.0, 1.4
# Against an FM station remove the whole band: such filters are available.
FM_BAND_HZ = (87e6, 109e6)


class Filter(msgspec.Struct, frozen=True):
    """A filter behind the antenna. low_hz, high_hz : its 3 dB edges; takes_db : attenuation of the signal concerned."""

    what: FilterKind
    low_hz: float
    high_hz: float
    poles: int
    takes_db: float

    def loss_db(self, hertz: Floats) -> Floats:
        """Loss of a Butterworth filter, 10 log10(1 + (f / f_0)^2n); of a notch inside its edges, of an attenuator
        anywhere.

        Source: S. Butterworth, Wireless Engineer 7 (1930) 536-541.
        """
        away = np.maximum(np.abs(hertz), 1.0)
        if self.what == "attenuator":
            return np.full(away.shape, self.takes_db)
        if self.what == "notch":
            return np.where((away >= self.low_hz) & (away <= self.high_hz), self.takes_db, 0.0)
        share = away / self.high_hz if self.what == "low-pass" else self.low_hz / away
        return np.asarray(10 * np.log10(1 + share ** (2.0 * self.poles)))

    def words(self, source_hz: float) -> str:
        """Description as in a shop."""
        if self.what == "attenuator":
            return f"{self.takes_db:g} dB of attenuation"
        if self.what == "notch":
            low, high = format_frequency(self.low_hz, 0), format_frequency(self.high_hz, 0)
            return f"a notch from {low} to {high} that takes {self.takes_db:.0f} dB"
        edge = format_frequency(self.high_hz if self.what == "low-pass" else self.low_hz, 0)
        takes_db = float(self.loss_db(np.array([source_hz]))[0])
        at = format_frequency(round(source_hz, -4), 0)
        return f"a {self.what} filter, edge {edge}, {self.poles} poles: it takes {takes_db:.0f} dB at {at}"


def filter_against(wanted_hz: float, source_hz: float, needed_db: float) -> Filter | None:
    """Choose the simplest filter that attenuates a source enough and the wanted signal hardly; None when none does.

    Among filters of equal order it prefers the one that passes most of the spectrum: its edge is as near to the source
    as possible.
    """
    wanted, source = abs(wanted_hz), abs(source_hz)
    if min(wanted, source) <= 0:
        return None
    for poles in POLES:
        # Attenuation far beyond the edge: 20 n log10(f / f_0) dB.
        away = 10 ** ((needed_db + MARGIN_DB) / (20 * poles))
        if source / away >= EDGE_AWAY * wanted:
            edge_hz = _round(source / away, np.floor)
            return Filter("low-pass", edge_hz, edge_hz, poles, needed_db)
        if source * away <= wanted / EDGE_AWAY:
            edge_hz = _round(source * away, np.ceil)
            return Filter("high-pass", edge_hz, edge_hz, poles, needed_db)
    if abs(source - wanted) < NOTCH_APART * source or needed_db > NOTCH_DB:
        return None
    low_hz, high_hz = source * (1 - NOTCH_HALF), source * (1 + NOTCH_HALF)
    if FM_BAND_HZ[0] < source < FM_BAND_HZ[1] and not FM_BAND_HZ[0] < wanted < FM_BAND_HZ[1]:
        low_hz, high_hz = FM_BAND_HZ
    takes_db = max(ceil(needed_db / 10) * 10.0, 20.0)
    return Filter("notch", _round(low_hz, np.floor), _round(high_hz, np.ceil), 0, takes_db)


def _round(hertz: float, rounding: Callable[[float], float]) -> float:
    """Round to two digits, the usual precision of such filters."""
    step = 10 ** (np.floor(log10(hertz)) - 1)
    return float(rounding(hertz / step) * step)
