"""What an activity that depends on the calibration needs of the session."""

from typing import Protocol

from yarddial.session.calibration.calibration import Calibration
from yarddial.session.receiver.topics import ReceiverTopics


class CalibrationTopics(ReceiverTopics, Protocol):
    """What calibration needs of the session."""

    @property
    def calibration(self) -> Calibration:
        """The calibration activity."""
        ...
