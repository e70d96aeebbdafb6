"""A span with judged peaks, live or from recordings; and the criteria for a peak."""

from typing import TYPE_CHECKING

import msgspec

if TYPE_CHECKING:
    # Imported when first used.
    from yarddial.analysis.ghosts.judging import Judgement, SpanRecord
    from yarddial.analysis.ghosts.scene import Ghost
    from yarddial.analysis.ghosts.span import Peak, Span

# Maximum number of judged peaks; remember signals this far above the floor as strong.
MAX_PEAKS, STRONG_OVER_DB = 40, 25.0
# A peak is this far above the floor, which noise never reaches over this averaging time.
PEAK_OVER_FLOOR_DB = 8.0


class JudgedPeak(msgspec.Struct, frozen=True):
    """A peak with its judgement."""

    peak: "Peak"
    judgement: "Judgement"


class Recorded(msgspec.Struct, frozen=True):
    """The first recording's span, the judgement of each peak, the predictions, and the other recordings."""

    before: "Span"
    judged: "tuple[tuple[Peak, Judgement], ...]"
    ghosts: "tuple[Ghost, ...]"
    records: "tuple[SpanRecord, ...]"
