"""What an activity with the receiver needs of the session."""

from typing import Protocol

from yarddial.engine.jobs.scheduler import Scheduler
from yarddial.session.background import Background
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk
from yarddial.session.station.hands import Hands


class ReceiverTopics(Protocol):
    """What the receiver's activities need of the session."""

    @property
    def desk(self) -> Desk:
        """The yard and the dial."""
        ...

    @property
    def hands(self) -> Hands:
        """Plugs and switches that a person moves."""
        ...

    @property
    def jobs(self) -> Scheduler:
        """The scheduler of jobs."""
        ...

    @property
    def live_receiver(self) -> LiveReceiver:
        """The receiver as it runs."""
        ...

    @property
    def log(self) -> LogKeeper:
        """The log."""
        ...

    @property
    def background(self) -> Background:
        """Where slow work is done."""
        ...
