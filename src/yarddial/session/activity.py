"""Declaration of an activity: its room is one file, and the session walks the list of them."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from yarddial.engine.jobs.table import JobKind
from yarddial.session.finding import Finding
from yarddial.session.listeners import Listener
from yarddial.session.verdict import Verdict
from yarddial.yard.places import PlaceName

A = TypeVar("A")


def _never(activity: object) -> bool:
    return False


@dataclass(frozen=True, kw_only=True)
class Declaration(Generic[A]):
    """All that the session, the overview and the tests of jobs against jobs need to know of an activity.

    Where a function takes a second argument, that is the session, which the room types as what it needs of it.

    make : makes it. Collaborators are given here, and none later.
    kinds : of job that it asks the receiver for.
    begin : how a person begins each of them with what is usual, by the kind's name; none where more must be told.
    is_under_way : whether it says of itself that something goes on. needs_polls : the same, where no job tells it.
    poll : called with each poll of the session; close : when the session ends.
    on_changed : joins a listener to what may change findings or verdict.
    findings : what is wrong now. verdict : the place that it speaks for, and what it says over it.
    logs : shapes of the log's data that it writes, as `records.log_data` declares them.
    """

    make: Callable[[Any], A]
    kinds: tuple[JobKind, ...] = ()
    begin: Mapping[str, Callable[[A], object]] = field(default_factory=dict)
    is_under_way: Callable[[A], bool] = _never
    needs_polls: Callable[[A], bool] = _never
    poll: Callable[[A], object] | None = None
    close: Callable[[A], object] | None = None
    on_changed: Callable[[A], Callable[[Listener], object]] | None = None
    findings: Callable[[A, Any], list[Finding]] | None = None
    verdict: tuple[PlaceName, Callable[[A, Any], Verdict]] | None = None
    logs: tuple[type, ...] = ()
