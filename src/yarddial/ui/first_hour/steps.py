"""Steps of the first hour in order: place, control, and how their completion is recognised."""

from collections.abc import Callable
from typing import Literal

import msgspec
from PyQt6.QtWidgets import QWidget

from yarddial.session.session import Session
from yarddial.yard.places import PlaceName


class Step(msgspec.Struct, frozen=True):
    """One step.

    control : attribute of the place's page, or of the window where `place` is empty; pointed at while visible.
    is_done : reads the session; None where only the person can tell.
    """

    title: str
    words: str
    place: PlaceName | Literal[""]
    control: str
    is_done: Callable[[Session], bool] | None = None


def _is_built(session: Session) -> bool:
    return any(not route.missing for route in session.desk.station.resolved_routes())


STEPS = (
    Step(
        "Your yard",
        "This strip is your yard: the antenna at the left, what stands between, the receiver at the right. An empty "
        "one is built by Menu, Yard, What have you got; A puts one part in.",
        "Bench", "strip", _is_built,
    ),
    Step(
        "Does it answer?",
        "Check the receiver: is it there, does it keep its samples, does each gain step do something? It takes about "
        "a minute.",
        "First light", "start", lambda session: session.device_check.outcome == "done",
    ),
    Step(
        "Rate and centre",
        "A receiver shows a span as wide as its sample rate, with a spike of its own in the middle. This picks a rate "
        "that keeps such things away from the band.",
        "Span", "use",
    ),
    Step(
        "Start the receiver", "From here on it runs. Space does the same, everywhere.", "", "start",
        lambda session: session.live_receiver.wanted,
    ),
    Step(
        "How much gain?",
        "Sweep the gain stage at the right over its real steps. More gain helps until the antenna's noise is heard.",
        "Levels", "use", lambda session: session.levels.advice is not None or session.levels.setting is not None,
    ),
    Step(
        "Measure a known station",
        "The brackets [ and ] go to known stations. This measures the carrier at the dial: how far off is it here?",
        "True", "measure", lambda session: session.calibration.fit is not None,
    ),
    Step(
        "Enter the correction",
        "One press enters what was found; Ctrl+Z takes it back. It is grey while there is nothing to enter.",
        "True", "apply",
        lambda session: session.calibration.fit is not None
        and ((proposal := session.calibration.proposal()) is None or proposal.is_nothing),
    ),
    Step("Is it true now?", "Measure once more and see whether it holds.", "True", "verify"),
    Step(
        "And everywhere else?",
        "Each converter has an oscillator of its own. This list has them all, and measures what is left by itself.",
        "True", "everything",
    ),
    Step(
        "Is it real?", "Some of what you see the receiver makes itself. This finds out which.", "Ghosts", "test",
        lambda session: bool(session.span_test.judged),
    ),
    Step("Hear it", "Click a line in the picture and hear it. That was the whole of the work.", "Listen", "chart"),
)  # fmt: skip


def control_of(step: Step, window: QWidget, page: QWidget | None) -> QWidget | None:
    """The control that a step points at, if it exists and is visible."""
    if step.place and step.control != "strip":
        control = getattr(page, step.control, None)
    elif step.control == "strip":
        control = getattr(window, "strip", None)
    else:
        places = getattr(window, "places", None)
        control = getattr(getattr(places, "owner", None), step.control, None)
    return control if isinstance(control, QWidget) and control.isVisible() else None
