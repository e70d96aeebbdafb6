"""Name of a signal model for a person, and the remark that goes with it."""

import numpy as np

from yarddial.dsp.carrier import OtherLine
from yarddial.dsp.spectral_line.blocks import Record
from yarddial.dsp.spectral_line.explanation import Explanation, WeighedLine

# A keyed carrier is off below and on above these shares of the 90th percentile, with few blocks in between.
KEY_UP_LEVEL, KEY_DOWN_LEVEL, MAX_BETWEEN_SHARE, MIN_OFF = 0.35, 0.65, 0.25, 0.1
MIN_KEYS = 4
# Two lines symmetric about the carrier within these limits are its modulation. So is one line at a multiple of the
# mains frequency, within the mains' tolerance.
MIRRORED_SIGMAS, MIRRORED_BINS = 5.0, 0.5
MAINS_HZ, MAINS_SHARE, HUM_DB = (50.0, 60.0), 3e-3, -10.0


def name_of(record: Record, best: WeighedLine, density: float | None) -> str:
    """Name of the model for a person."""
    explanation = best.told
    if explanation.name == "level":
        return "keyed" if density is not None and _is_keyed(record, best, density) else "steady"
    if explanation.name == "lines":
        others = len(_not_mirrored(explanation, record.duration_s))
        return {0: "steady", 1: "two carriers", 2: "three carriers"}.get(others, "several carriers")
    return explanation.name


def _not_mirrored(explanation: Explanation, duration_s: float) -> list[OtherLine]:
    """Other lines that do not form a symmetric pair about the carrier."""

    def is_mirror(line: OtherLine, other: OtherLine) -> bool:
        away = abs(line.frequency_hz + other.frequency_hz - 2 * explanation.offset_hz)
        close = max(MIRRORED_SIGMAS * (line.sigma_hz + other.sigma_hz), MIRRORED_BINS / duration_s)
        return away < close

    def is_hum(line: OtherLine) -> bool:
        away = abs(line.frequency_hz - explanation.offset_hz)
        off = min(abs(away - number * mains) for mains in MAINS_HZ for number in (1, 2, 3))
        return line.level_db < HUM_DB and off < max(MAINS_SHARE * away, MIRRORED_BINS / duration_s)

    # A single line at the mains' distance may also be a station.
    hums = sum(is_hum(other) for other in explanation.others)
    return [
        other_line
        for other_line in explanation.others
        if not (hums > 1 and is_hum(other_line))
        and not any(other is not other_line and is_mirror(other_line, other) for other in explanation.others)
    ]


def _is_keyed(record: Record, best: WeighedLine, density: float) -> bool:
    blocks = record.blocks(best.place_hz, best.drift_hz_per_s, density)
    size = np.abs(blocks.means)
    high = float(np.percentile(size, 90))
    is_on = size > 0.5 * high
    if np.count_nonzero(is_on[1:] != is_on[:-1]) < MIN_KEYS:
        return False
    low, between = (
        np.mean(size < KEY_UP_LEVEL * high),
        np.mean((size >= KEY_UP_LEVEL * high) & (size <= KEY_DOWN_LEVEL * high)),
    )
    return bool(high > 3.0 and low > MIN_OFF and between < MAX_BETWEEN_SHARE)


REMARKS = {
    "fading": "its middle is known as far as the path allows: measure longer, or at a quiet hour",
    "drifting": "the value is the mean over the record",
    "wandering": "one of the two oscillators does, and the mean over the measurement is told",
    "warming up": "it approaches its end slowly: measure again later",
    "jumping": "the value is that of the longer part, before or after the jump; measure again",
    "two rays": "a second ray or station stands beside it; the value is the line's own",
    "broken": "samples were lost or the path switched; what lies between the steps was used",
    "level": "its level changes, its frequency does not",
    "lines": "more than one line stands there",
}
INADEQUATE_REMARK = (
    "no model explains this record: its uncertainty is as wide as the line; measure longer, nearer, or at another hour"
)


def remark_of(explanation: Explanation, is_adequate: bool) -> str:
    """Remark in one sentence; empty where there is none."""
    if not is_adequate:
        return INADEQUATE_REMARK
    return REMARKS.get(explanation.name, "")
