"""Waiting for a session to get somewhere."""

from collections.abc import Callable

import msgspec

from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import quillet_world
from yarddial.records.entry import utc_now
from yarddial.session.session import Session
from yarddial.yard.observation import observed
from yarddial.yard.parts import Receiver


def until(session: Session, done: Callable[[], bool], limit: int = 40_000) -> None:
    """Poll until it is done; fail where it does not come."""
    for _ in range(limit):
        if done():
            return
        session.poll()
    raise AssertionError("it did not come")


def set_rate(session: Session, rate_hz: float) -> None:
    """Give the receiver on the line a rate."""
    receiver = session.desk.route.receiver
    assert isinstance(receiver, Receiver)
    session.desk.edit("rate", session.desk.station.with_part(msgspec.structs.replace(receiver, rate_hz=rate_hz)))


def run_span_test(session: Session, dial_hz: float) -> None:
    """Test the span around a place of the dial, to its end."""
    session.desk.dial(dial_hz)
    until(session, lambda: session.span_test.why_not() == "")
    session.span_test.test()
    until(session, lambda: not session.span_test.running)
    assert session.span_test.trouble == ""


def tell_truth(session: Session, *dials_hz: float) -> None:
    """Let the session know, as exactly as a measurement would, what the demo's world makes of stations on the dial.

    The receiver runs then. For tests of what follows from a trued dial: measuring has tests of its own, and takes time.
    """
    for dial_hz in dials_hz:
        session.desk.dial(dial_hz)
        line, reference = session.desk.route, session.calibration.reference()
        assert reference is not None
        shown_hz = reference.frequency_hz + true_dial_error_hz(quillet_world(), line, reference.frequency_hz)
        seen = observed(line, reference, shown_hz, 1e-3, utc_now())
        session.calibration.take_in((seen,), "told", "told by the world")
    if not session.live_receiver.wanted:
        session.toggle_receiver()
