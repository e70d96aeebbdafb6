"""What every listener at the stream offers: it takes blocks, says what it survives, and gives up with a reason."""

from typing import Literal, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.drivers.protocol import ActualSettings

# What may become of a stream: another slice is cut out of it, the receiver is set differently, it is another receiver.
StreamChange = Literal["slice", "tuning", "receiver"]
EVERYTHING: frozenset[StreamChange] = frozenset(("slice", "tuning", "receiver"))
NOTHING: frozenset[StreamChange] = frozenset()
# Why a tap is ended from outside.
EndCause = Literal["retuned", "stopped", "cancelled"]


class Stream(msgspec.Struct, frozen=True):
    """What comes in: as the receiver is set, and the slice cut out of it around look_hz, as the receiver counts."""

    got: ActualSettings
    look_hz: float
    slice_rate_hz: float

    @property
    def rate_hz(self) -> float:
        """Of the whole span."""
        return self.got.rate_hz

    @property
    def centre_hz(self) -> float:
        """Of the whole span, as the receiver counts."""
        return self.got.centre_hz


class Piece(msgspec.Struct, frozen=True):
    """One block on its way: as it came, cleaned up, and the slice out of that.

    lost : samples lost just before it. read_s : when it was read, by this computer's monotonic clock.
    """

    raw: NDArray[np.complex64]
    cleaned: NDArray[np.complex64]
    narrow: NDArray[np.complex64]
    lost: int
    read_s: float


class StreamTap(Protocol):
    """One of the engine's list; it belongs to a job, 0 being the engine's own."""

    job: int
    survives: frozenset[StreamChange]

    def begin(self, stream: Stream, change: StreamChange) -> None:
        """The stream is this from now on; called again after each change that it survives."""
        ...

    def push(self, piece: Piece) -> bool:
        """Take a block; True when it has ended, which it has then reported."""
        ...

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End before its time, and report it."""
        ...
