"""Time limits after which an engine or its user reports that something hangs."""

import msgspec


class Patience(msgspec.Struct, frozen=True):
    """Time limits, seconds.

    beat_s : between two heartbeats of the engine's process.
    silent_s : without a heartbeat, or in one call of the driver without computing, until the process is ended.
    lasts_s : in one call of the driver while computing.
    starts_s : for the process to start: about one on an idle computer, several on a busy one.
    read_s : for one read of the driver, which takes a fraction of a second; a longer one never returns.
    """

    beat_s: float = 1.0
    silent_s: float = 5.0
    lasts_s: float = 20.0
    starts_s: float = 20.0
    read_s: float = 3.0


USUAL_PATIENCE = Patience()
