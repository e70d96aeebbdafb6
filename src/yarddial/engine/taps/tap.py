"""Interface of all taps on the stream: they take blocks, survive certain changes, and end with a reason."""

from typing import Literal, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import Request
from yarddial.engine.tuning import Tuning

# Changes of a stream: another slice of it, other settings of the receiver, another receiver.
StreamChange = Literal["slice", "tuning", "receiver"]
ALL_RESTS: frozenset[StreamChange] = frozenset(("slice", "tuning", "receiver"))
NO_RESTS: frozenset[StreamChange] = frozenset()
# Why a tap is ended from outside. ended : a recording that plays has come to its end.
EndCause = Literal["retuned", "stopped", "ended", "cancelled"]


class Piece(msgspec.Struct, frozen=True):
    """One block: raw, cleaned, and the slice of it; all received on one tuning.

    lost : samples lost just before it. read_s : when it was read, by this computer's monotonic clock.
    at_s : streaming time at its end, by the count of samples, lost ones included.
    """

    raw: NDArray[np.complex64]
    cleaned: NDArray[np.complex64]
    narrow: NDArray[np.complex64]
    lost: int
    read_s: float
    tuning: Tuning
    at_s: float = 0.0


class StreamTap(Protocol):
    """A consumer of the sample stream; it belongs to a job, or with 0 to the engine.

    asked : the request that it answers; None for the engine's own.
    """

    job: int

    @property
    def asked(self) -> Request | None:
        """The request that it answers."""
        ...

    survives: frozenset[StreamChange]

    def begin(self, tuning: Tuning, change: StreamChange) -> None:
        """The stream is received on this tuning from now on; called again after each change that the tap survives."""
        ...

    def push(self, piece: Piece) -> bool:
        """Take a block; True when the tap has ended, which it has then reported."""
        ...

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End early, and report it."""
        ...
