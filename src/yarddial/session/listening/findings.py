"""Finding about an overloaded channel."""

from yarddial.session.finding import Finding, passed_on
from yarddial.session.listening.listening import Listening
from yarddial.session.listening.verdict import LIMIT_DBFS, listen_verdict
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.session.station.desk import Desk


def listen_findings(listening: Listening, receiver: LiveReceiver, desk: Desk) -> list[Finding]:
    """Report an overloaded channel; an empty channel is no fault."""
    if not listening.is_open or listening.level_dbfs is None or listening.level_dbfs <= LIMIT_DBFS:
        return []
    verdict = listen_verdict(listening, receiver, desk)
    return [passed_on("Listen", verdict, "Levels")] if verdict.mark == "look" else []
