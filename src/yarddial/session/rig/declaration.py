"""Declaration of the linked transceiver."""

from collections.abc import Callable
from typing import Protocol

from yarddial.drivers.rig.protocol import RigLink
from yarddial.session.activity import Declaration
from yarddial.session.listening.listening import Listening
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.session.rig.findings import rig_findings
from yarddial.session.rig.rig_control import RigControl


class RigTopics(ReceiverTopics, Protocol):
    """What the transceiver needs of the session."""

    @property
    def listening(self) -> Listening:
        """The listening activity."""
        ...

    @property
    def open_rig(self) -> Callable[[str], RigLink] | None:
        """Opens a link by its address; None for the default function."""
        ...


def _make(of: RigTopics) -> RigControl:
    return RigControl(of.desk, of.live_receiver, of.jobs, of.listening, of.open_rig)


DECLARATION = Declaration(
    make=_make,
    needs_polls=lambda rig: rig.status != "off" or rig.key.handle is not None,
    poll=RigControl.poll,
    close=RigControl.unlink,
    on_changed=lambda rig: rig.on_rig_changed,
    findings=lambda rig, of: rig_findings(rig),
)
