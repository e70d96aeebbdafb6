"""What the overview needs of the session."""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, Protocol

from yarddial.session.activity import Declaration
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.faults import Faults
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands
from yarddial.session.station.inspection import Inspection
from yarddial.session.station.own_file import OwnFile

if TYPE_CHECKING:
    # Imported after the first paint.
    from yarddial.distance.far_engine import FarEngine


class Topics(Protocol):
    """What the overview needs of the session."""

    file: OwnFile
    desk: Desk
    hands: Hands
    inspection: Inspection
    log: LogKeeper
    live_receiver: LiveReceiver
    faults: Faults

    @property
    def calibration(self) -> Calibration:
        """Calibration whose proposal is shown around the place."""
        ...

    @property
    def far_engine(self) -> "FarEngine | None":
        """The present engine, where it is on another computer."""
        ...

    def made_rooms(self) -> Iterator[tuple[Declaration[Any], Any]]:
        """Activities that exist."""
        ...
