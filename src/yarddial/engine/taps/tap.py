"""What every listener at the stream offers: it takes blocks, says what it survives, and gives up with a reason."""

from typing import Literal, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from yarddial.engine.commands import Request
from yarddial.engine.tuning import Tuning

# What may become of a stream: another slice is cut out of it, the receiver is set differently, it is another receiver.
StreamChange = Literal["slice", "tuning", "receiver"]
ALL_RESTS: frozenset[StreamChange] = frozenset(("slice", "tuning", "receiver"))
NO_RESTS: frozenset[StreamChange] = frozenset()
# Why a tap is ended from outside.
# ended : a recording that plays has come to its end.
EndCause = Literal["retuned", "stopped", "ended", "cancelled"]


class Piece(msgspec.Struct, frozen=True):
    """One block on its way: as it came, cleaned up, and the slice out of that; all of it received on one tuning.

    lost : samples lost just before it. read_s : when it was read, by this computer's monotonic clock.
    at_s : how long the receiver had been streaming at its end, by the count of samples, lost ones included.
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
        """The stream is received on this tuning from now on; called again after each change that it survives."""
        ...

    def push(self, piece: Piece) -> bool:
        """Take a block; True when it has ended, which it has then reported."""
        ...

    def give_up(self, cause: EndCause, reason: str = "") -> None:
        """End before its time, and report it."""
        ...
