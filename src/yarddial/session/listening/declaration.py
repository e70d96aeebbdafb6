"""Declaration of listening."""

from typing import Protocol

from yarddial.session.activity import Declaration
from yarddial.session.listening.findings import listen_findings
from yarddial.session.listening.listening import LISTENING, Listening
from yarddial.session.listening.recorder import Recorder
from yarddial.session.listening.verdict import listen_verdict
from yarddial.session.log.notes import Notes
from yarddial.session.receiver.topics import ReceiverTopics
from yarddial.yard.left_off import LeftOff


class ListeningTopics(ReceiverTopics, Protocol):
    """What listening needs of the session."""

    @property
    def notes(self) -> Notes:
        """The notes in the log."""
        ...

    @property
    def recorder(self) -> Recorder:
        """Recorder of audio and samples."""
        ...

    @property
    def left_off(self) -> LeftOff:
        """Where the last session left off."""
        ...


def _make(of: ListeningTopics) -> Listening:
    return Listening(of.desk, of.live_receiver, of.jobs, of.notes.add, of.recorder, of.left_off)


DECLARATION = Declaration(
    make=_make,
    kinds=(LISTENING,),
    begin={LISTENING.name: Listening.open},
    poll=Listening.poll,
    is_under_way=lambda listening: listening.is_open,
    on_changed=lambda listening: listening.on_listening_changed,
    findings=lambda listening, of: listen_findings(listening, of.live_receiver, of.desk),
    verdict=("Listen", lambda listening, of: listen_verdict(listening, of.live_receiver, of.desk)),
)
