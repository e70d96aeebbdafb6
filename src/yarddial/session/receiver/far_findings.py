"""How a computer is whose receiver is in use from afar: its link, load, heat and disk; and who else is there."""

from typing import TYPE_CHECKING

from yarddial.session.finding import Finding

if TYPE_CHECKING:
    from yarddial.distance.far_engine import FarEngine

BUSY, HOT_C, FULL_GB = 0.9, 80.0, 1.0


def far_findings(far: "FarEngine | None") -> list[Finding]:
    """What of it deserves a look; what it does not tell is not guessed."""
    if far is None:
        return []
    name = far.computer.name
    found: list[Finding] = []
    if not far.is_linked:
        found.append(Finding("look", f"Far computer: {name} is not reached", "it is tried again by itself"))
    state = far.far
    if state is not None and state.load > BUSY:
        what = f"Far computer: {name} is busy, {state.load:.0%} of its processors"
        found.append(Finding("look", what, "samples may be lost there: use a lower rate"))
    if state is not None and state.temperature_c >= HOT_C:
        found.append(Finding("look", f"Far computer: {name} is {state.temperature_c:.0f} °C hot", "give it air"))
    if state is not None and 0 <= state.free_gb < FULL_GB:
        what = f"Far computer: {name} has {state.free_gb:.1f} GB of disk left"
        found.append(Finding("look", what, "recordings there will end early"))
    people = far.here.people if far.here is not None else ()
    if len(people) > 1:
        told = ", ".join(f"{one} {'controls' if controls else 'listens'}" for one, _, controls in people)
        found.append(Finding("unknown", f"Far computer: {name} serves {len(people)}: {told}", "one sets the receiver"))
    return found
