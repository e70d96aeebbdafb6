"""A span whose peaks were judged, live or in recordings; and what counts as a peak of one."""

from typing import TYPE_CHECKING

import msgspec

if TYPE_CHECKING:
    # Not needed before the first test.
    from yarddial.analysis.ghosts.judging import Judgement, SpanRecord
    from yarddial.analysis.ghosts.scene import Ghost
    from yarddial.analysis.ghosts.span import Peak, Span

# Strongest peaks that are judged; a signal this far above the floor is remembered as strong.
MAX_PEAKS, STRONG_OVER_DB = 40, 25.0
# A peak stands this far above the floor; over this averaging time noise never does.
PEAK_OVER_FLOOR_DB = 8.0


class JudgedPeak(msgspec.Struct, frozen=True):
    """A peak with what it is."""

    peak: "Peak"
    judgement: "Judgement"


class Recorded(msgspec.Struct, frozen=True):
    """The first recording's span, the verdict on each peak, the predictions, and the other recordings."""

    before: "Span"
    judged: "tuple[tuple[Peak, Judgement], ...]"
    ghosts: "tuple[Ghost, ...]"
    records: "tuple[SpanRecord, ...]"
