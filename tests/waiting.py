"""Waiting for a session to get somewhere."""

from collections.abc import Callable

from yarddial.session.session import Session


def until(session: Session, done: Callable[[], bool], most: int = 40_000) -> None:
    """Poll until it is done; fail where it does not come."""
    for _ in range(most):
        if done():
            return
        session.poll()
    raise AssertionError("it did not come")
