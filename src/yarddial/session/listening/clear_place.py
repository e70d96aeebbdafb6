"""Gaps in the picture, where nobody transmits."""

from yarddial.dsp.clear_places import clear_stretches
from yarddial.session.receiver.picture import ReceiverPicture
from yarddial.yard.frequency import format_hertz

Gaps = tuple[tuple[float, float], ...]

# Columns needed before gaps are searched, and minimum channel width in rows.
MIN_COLUMNS, MIN_ROWS_A_CHANNEL = 16, 3


def gaps_of(picture: ReceiverPicture, middle_hz: float, width_hz: float) -> Gaps:
    """Gaps in the last ten seconds of the picture that are as wide as a channel: low and high ends, dial hertz.

    middle_hz : dial frequency at the picture's middle. width_hz : of the channel.
    """
    columns, half_hz = picture.recent_columns(), picture.recent()[1]
    if columns.shape[1] < MIN_COLUMNS:
        return ()
    return clear_stretches(columns, 2 * half_hz / columns.shape[1], middle_hz - half_hz, width_hz)


def why_no_gap(picture: ReceiverPicture, width_hz: float) -> str:
    """Reason why the picture shows no gap as wide as a channel."""
    rows, half_hz = picture.recent_columns().shape[1], picture.recent()[1]
    if 2 * half_hz / max(rows, 1) > width_hz / MIN_ROWS_A_CHANNEL:
        return "the picture is too coarse to find a gap: zoom in"
    return f"no gap of {format_hertz(width_hz, 1.0, signed=False)} in the picture so far"
