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


def run_span_test(session: Session, dial_hz: float) -> None:
    """Test the span around a place of the dial, to its end."""
    session.desk.dial(dial_hz)
    until(session, lambda: session.span_test.why_not() == "")
    session.span_test.test()
    until(session, lambda: not session.span_test.running)
    assert session.span_test.trouble == ""
