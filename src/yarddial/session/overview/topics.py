"""What the overview looks at: the topics of the session, as they are."""

from typing import TYPE_CHECKING, Protocol

from yarddial.session.bands.band_board import BandBoard
from yarddial.session.calibration.calibration import Calibration
from yarddial.session.faults import Faults
from yarddial.session.first_light.device_check import DeviceCheck
from yarddial.session.levels.levels import Levels
from yarddial.session.listening.listening import Listening
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.spurious.span_test import SpanTest
from yarddial.session.station.desk import Desk
from yarddial.session.station.inspection import Inspection
from yarddial.yard.station import Station

if TYPE_CHECKING:
    # Kept off the way to the first paint.
    from yarddial.distance.far_engine import FarEngine
    from yarddial.session.station.station_saver import StationSaver


class Topics(Protocol):
    """The session is one."""

    recovered: Station | None
    saver: "StationSaver | None"
    desk: Desk
    inspection: Inspection
    log: LogKeeper
    live_receiver: LiveReceiver
    calibration: Calibration
    device_check: DeviceCheck
    levels: Levels
    listening: Listening
    span_test: SpanTest
    board: BandBoard
    faults: Faults
    rig: RigControl

    @property
    def far_engine(self) -> "FarEngine | None":
        """The engine in use, where it is another computer's."""
        ...
