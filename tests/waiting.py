"""Waiting for a session to get somewhere."""

from collections.abc import Callable

import msgspec

from yarddial.session.session import Session
from yarddial.yard.parts import Receiver


def until(session: Session, done: Callable[[], bool], most: int = 40_000) -> None:
    """Poll until it is done; fail where it does not come."""
    for _ in range(most):
        if done():
            return
        session.poll()
    raise AssertionError("it did not come")


def set_rate(session: Session, rate_hz: float) -> None:
    """Give the receiver on the line a rate."""
    receiver = session.desk.line.receiver
    assert isinstance(receiver, Receiver)
    session.desk.edit("rate", session.desk.station.with_part(msgspec.structs.replace(receiver, rate_hz=rate_hz)))
