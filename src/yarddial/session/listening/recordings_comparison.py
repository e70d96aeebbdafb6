"""Two recordings of the same time: two antennas, two receivers or two computers, which hears a signal better."""

from collections.abc import Callable
from pathlib import Path

import msgspec

from yarddial.records.recordings import Recording, open_recording
from yarddial.session.listening.pair_differences import ChannelLevel, Compared, compared_pairs
from yarddial.yard.errors import BadFrequency, BadSamples
from yarddial.yard.frequency import format_frequency

# Both are measured in pieces of this length.
PIECE_S = 0.25


class RecordingsCompared(msgspec.Struct, frozen=True):
    """Result: the place, the number of pieces compared, and second against first."""

    near_hz: float
    pieces: int
    compared: Compared


def compare_recordings(
    first: Path, second: Path, near_hz: float, width_hz: float, is_cancelled: Callable[[], bool] = lambda: False
) -> RecordingsCompared:
    """Compare two recordings piece by piece.

    Parameters
    ----------
    near_hz : float
        The signal, on the dial, hertz.
    width_hz : float
        Of its channel, hertz.
    is_cancelled : callable
        Asked before each piece.

    Raises
    ------
    BadFrequency
        A recording does not hold the signal.
    BadSamples
        Both are the same file, are too short, or the comparison was cancelled.
    """
    if first.resolve() == second.resolve():
        raise BadSamples("both are the same recording: choose another as the second")
    levels = [_levels(open_recording(path), path.name, near_hz, width_hz, is_cancelled) for path in (first, second)]
    count = min(len(pieces) for pieces in levels)
    compared = compared_pairs(levels[0][:count], levels[1][:count], width_hz, PIECE_S, in_dbm=False)
    return RecordingsCompared(near_hz, count, compared)


def _levels(
    recording: Recording, name: str, near_hz: float, width_hz: float, is_cancelled: Callable[[], bool]
) -> list[ChannelLevel]:
    """Signal and noise in the channel for each piece."""
    from yarddial.engine.taps.gain_sweep import measure

    offset_hz = near_hz - recording.centre_hz
    if abs(offset_hz) > recording.rate_hz / 2:
        raise BadFrequency(
            f"{format_frequency(near_hz)} is not in {name}: its centre is {format_frequency(recording.centre_hz)}"
        )
    size = max(int(PIECE_S * recording.rate_hz), 4096)
    levels = []
    for begin in range(0, recording.count - size + 1, size):
        if is_cancelled():
            raise BadSamples("the comparison was cancelled")
        power = measure(recording.read(begin, size), recording.rate_hz, offset_hz, width_hz)
        noise = 10 ** (power.floor_dbfs_hz / 10) * power.width_hz
        levels.append(ChannelLevel(10 ** (power.channel_dbfs / 10) - noise, noise))
    return levels
