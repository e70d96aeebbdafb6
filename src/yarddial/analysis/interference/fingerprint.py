"""Fingerprint of interference, to recognise it again: comb spacing, hump, or pulsing at twice the mains frequency."""

from math import ceil, log
from typing import Literal

import msgspec
import numpy as np

from yarddial.analysis.ghosts.scene import Floats
from yarddial.analysis.ghosts.span import Span
from yarddial.dsp.pulses import MAINS_HZ
from yarddial.yard.frequency import format_frequency

Pattern = Literal["comb", "pulses", "noise"]
# Minimum spacing of switching supplies and clocks, hertz; minimum number of lines of a comb in a span.
MIN_SPACING_HZ, MIN_LINES = 12e3, 5
# Minimum height of a line above the local floor, which is the median over this width.
LINE_DB, AROUND_HZ = 5.0, 40e3
# Share of its places where a comb has lines; maximum number of spacings and peaks tried.
MIN_COMB_FILL, MAX_PERIODS, MAX_PEAKS = 0.6, 16, 60
# Minimum pulsing as a share of the mean; smaller modulation counts as none.
MIN_PULSE, MIN_SWING = 0.05, 0.004
# A comb may drift by this share of its spacing during the search.
COMB_DRIFT_SHARE = 0.01
HUMP_DB, OWN_HUMP_DB = 3.0, 6.0
# Pulsing causes the noise when its modulation is this share of the noise's rise, both as logarithms.
PULSES_SHARE = 0.4


class AirRecord(msgspec.Struct, frozen=True):
    """A span at one moment: dB per bin, low end first, and its pulsing at 100 and 120 Hz.

    low_hz : of the first bin. pulses : shares of the mean, for MAINS_HZ.
    """

    low_hz: float
    step_hz: float
    level_db: Floats
    pulses: tuple[float, float] = (0.0, 0.0)

    @property
    def floor_db(self) -> float:
        """Median of all levels."""
        return float(np.median(self.level_db))


class Fingerprint(msgspec.Struct, frozen=True):
    """Properties by which one interference is recognised.

    spacing_hz, first_hz : of a comb: its lines, and one of them. low_hz, high_hz : of noise, where it stands out.
    mains_hz : at what it pulses, 0 for not at all. is_narrowed : it was told what of it goes with the antenna.
    """

    pattern: Pattern
    spacing_hz: float = 0.0
    first_hz: float = 0.0
    low_hz: float = 0.0
    high_hz: float = 0.0
    mains_hz: float = 0.0
    is_narrowed: bool = False

    def holds(self, hertz: float, within_hz: float) -> bool:
        """Return True when a frequency is on one of the comb's lines."""
        if self.pattern != "comb":
            return False
        away_hz = (hertz - self.first_hz) % self.spacing_hz
        return min(away_hz, self.spacing_hz - away_hz) <= within_hz

    @property
    def words(self) -> str:
        """Description for a person."""
        pulses = f", pulsing at {self.mains_hz:.0f} Hz" if self.mains_hz else ""
        if self.pattern == "comb":
            return f"lines every {self.spacing_hz / 1e3:.1f} kHz{pulses}"
        return f"noise from {format_frequency(self.low_hz, 0)} to {format_frequency(self.high_hz, 0)}{pulses}"


def find(record: AirRecord) -> Fingerprint:
    """Find the interference in a record: a comb, else mains pulses, else the noise itself."""
    mains = [hertz for hertz, share in zip(MAINS_HZ, record.pulses, strict=True) if share > MIN_PULSE]
    mains_hz = 0.0 if not mains else MAINS_HZ[int(np.argmax(record.pulses))]
    comb = _comb(record)
    if comb is not None:
        return Fingerprint("comb", comb[0], comb[1], mains_hz=mains_hz)
    ends = (record.low_hz, record.low_hz + (record.level_db.size - 1) * record.step_hz)
    return Fingerprint("pulses" if mains_hz else "noise", low_hz=ends[0], high_hz=ends[1], mains_hz=mains_hz)


def narrowed(seen: Fingerprint, on: AirRecord, off: AirRecord) -> Fingerprint:
    """Narrow the fingerprint to what disappears without the antenna: where it is highest over the rest.

    Pulsing counts too, unless it explains little of what disappears: then a steadier noise is stronger.
    """
    size = max(round(AROUND_HZ / on.step_hz), 3)
    fell_db = _smooth(on.level_db - off.level_db, size)
    if seen.pattern == "pulses":
        swing = on.pulses[MAINS_HZ.index(seen.mains_hz)]
        if swing < PULSES_SHARE * float(np.mean(on.level_db - off.level_db)) * log(10) / 10:
            seen = msgspec.structs.replace(seen, pattern="noise")
    raised = np.flatnonzero(fell_db > max(float(fell_db[size:-size].max()) - HUMP_DB, HUMP_DB))
    if seen.pattern != "noise" or not raised.size:
        return seen
    low, high = (on.low_hz + int(end) * on.step_hz for end in (raised[0], raised[-1]))
    return msgspec.structs.replace(seen, low_hz=low, high_hz=high, is_narrowed=True)


def has_hump(record: AirRecord) -> bool:
    """Return True when a part of the span is well above the rest: no receiver's own noise is like that."""
    smooth = _smooth(record.level_db, max(round(AROUND_HZ / record.step_hz), 3))
    low_db, high_db = np.percentile(smooth, (10, 90))
    return bool(high_db - low_db > OWN_HUMP_DB)


def comb_of(span: Span) -> Fingerprint | None:
    """Find the comb in a span; a true one comes from outside and is interference."""
    seen = find(AirRecord(span.low_hz, span.step_hz, span.level_dbm))
    return seen if seen.pattern == "comb" else None


def strength_db(record: AirRecord, seen: Fingerprint) -> float:
    """Strength in another record, dB: a comb's lines, the modulation of pulses, the density of noise."""
    if seen.pattern == "pulses":
        return 20 * float(np.log10(max(record.pulses[MAINS_HZ.index(seen.mains_hz)], MIN_SWING)))
    if seen.pattern == "noise":
        index = record.low_hz + np.arange(record.level_db.size) * record.step_hz
        inside = (index >= seen.low_hz) & (index <= seen.high_hz)
        # A low percentile, which excludes stations.
        return float(np.percentile(record.level_db[inside] if inside.any() else record.level_db, 35))
    excess, best = _excess(record), 0.0
    period = seen.spacing_hz / record.step_hz
    count = excess.size / period
    for share in np.arange(1 - COMB_DRIFT_SHARE, 1 + COMB_DRIFT_SHARE, 1 / (count * period)):
        best = max(best, float(_folded(excess, period * share).max(initial=0.0)))
    return 10 * float(np.log10(best + 0.03)) + record.floor_db


def _excess(record: AirRecord) -> Floats:
    """Power over the floor around each bin, in units of that floor, limited so that stations do not dominate."""
    around = _floor_about(record.level_db, max(round(AROUND_HZ / record.step_hz), 5))
    return np.minimum(10 ** ((record.level_db - around) / 10) - 1, 30.0).clip(0.0)


def _comb(record: AirRecord) -> tuple[float, float] | None:
    """Spacing of the best comb and one of its lines; None without a comb."""
    excess = _excess(record)
    lines = (excess > 10 ** (LINE_DB / 10) - 1).astype(float)
    total = 3 * float(lines.mean())
    if not 0 < total < 0.6:
        return None
    best: tuple[float, float, float] | None = None
    for period in _periods(np.minimum(excess, 8.0), record.step_hz):
        filled = _folded(lines, period)
        at = int(np.argmax(filled))
        places = int(lines.size / period)
        # Count that chance alone reaches at the best starting position.
        chance = total + 3.5 * (total * (1 - total) / places) ** 0.5
        score = float(filled[at] - total) * places**0.5
        if filled[at] > max(MIN_COMB_FILL, chance) and (best is None or score > best[0]):
            best = (score, period * record.step_hz, record.low_hz + at * record.step_hz)
    return None if best is None else (best[1], best[2])


def _periods(values: Floats, step_hz: float) -> Floats:
    """Candidate spacings, in bins: peaks of the spectrum's transform, and distances between lines."""
    size, limit = values.size, values.size / MIN_LINES
    padded = 16 * size
    wave = np.abs(np.fft.rfft(values - values.mean(), padded))
    first, last = int(padded / limit), int(padded * step_hz / MIN_SPACING_HZ)
    tops = np.flatnonzero((wave[1:-1] >= wave[:-2]) & (wave[1:-1] > wave[2:])) + 1
    tops = tops[(tops >= first) & (tops <= last)]
    coarse = (padded / tops[np.argsort(-wave[tops])][:MAX_PERIODS]).tolist()
    # Wide combs have few lines in the span, whose distances are more informative.
    peaks = np.flatnonzero((values[1:-1] >= values[:-2]) & (values[1:-1] > values[2:]) & (values[1:-1] > 2.0)) + 1
    peaks = peaks[np.argsort(-values[peaks])][:MAX_PEAKS]
    apart = np.abs(peaks[:, None] - peaks[None, :]).ravel()
    often = np.bincount(apart[(apart > MIN_SPACING_HZ / step_hz) & (apart < limit)], minlength=2)
    often = often + np.roll(often, 1) + np.roll(often, -1)
    coarse += np.argsort(-often)[:MAX_PERIODS].tolist()
    # Resolution that the last line of the span requires, with places known to one bin.
    spacings_hz = []
    for period in (period_bins for period_bins in coarse if period_bins > 2):
        parts = ceil(0.6 / period * size / 1.5)
        spacings_hz += [period * (1 + part * 1.5 / size) for part in range(-parts, parts + 1)]
    return np.array(spacings_hz)


def _folded(values: Floats, period: float) -> Floats:
    """For each start in a period, mean over its places of the largest of three bins."""
    wide = np.maximum(np.maximum(values, np.roll(values, 1)), np.roll(values, -1))
    count = int(values.size / period)
    places = np.round(np.arange(int(period))[:, None] + period * np.arange(count)[None, :]).astype(int)
    return np.asarray(wide[np.minimum(places, values.size - 1)].mean(axis=1))


def _smooth(values: Floats, size: int) -> Floats:
    return np.asarray(np.convolve(values, np.full(size, 1 / size), mode="same"))


def _floor_about(values: Floats, size: int) -> Floats:
    """Piecewise floor: medians of pieces, interpolated linearly."""
    count = max(values.size // size, 1)
    cut = values[: count * size].reshape(count, -1)
    middles = (np.arange(count) + 0.5) * cut.shape[1]
    return np.asarray(np.interp(np.arange(values.size), middles, np.median(cut, axis=1)))
