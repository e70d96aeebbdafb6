"""Findings about the far computer in use: link, load, temperature, disk, and its other users."""

from typing import TYPE_CHECKING

from yarddial.session.finding import Act, Finding

if TYPE_CHECKING:
    from yarddial.distance.far_engine import FarEngine

BUSY_SHARE, HOT_C, FULL_GB = 0.9, 80.0, 1.0
# Report this many gaps per minute.
MANY_GAPS = 3


def far_findings(far: "FarEngine | None") -> list[Finding]:
    """List what deserves attention; unreported values are not guessed."""
    if far is None:
        return []
    name = far.computer.name
    findings: list[Finding] = []
    if not far.is_linked:
        findings.append(Finding("look", f"Far computer: {name} is not reached", "it is tried again by itself"))
    state = far.far
    if state is not None and state.load > BUSY_SHARE:
        what = f"Far computer: {name} is busy, {state.load:.0%} of its processors"
        findings.append(Finding("look", what, "samples may be lost there: use a lower rate"))
    if state is not None and state.temperature_c >= HOT_C:
        findings.append(Finding("look", f"Far computer: {name} is {state.temperature_c:.0f} °C hot", "give it air"))
    if state is not None and 0 <= state.free_gb < FULL_GB:
        what = f"Far computer: {name} has {state.free_gb:.1f} GB of disk left"
        findings.append(Finding("look", what, "recordings there will end early"))
    if (gaps := far.gaps_lately) >= MANY_GAPS:
        what = f"Far computer: the link to {name} had no room for the sound {gaps} times in the last minute"
        findings.append(Finding("look", what, "a narrower way of hearing needs less of it"))
    people = _people(far)
    # A person who waits for an answer comes first.
    return people + findings if any(finding.mark == "look" for finding in people) else findings + people


def _people(far: "FarEngine") -> list[Finding]:
    """Other users, and who wants control."""
    here = far.here
    if here is None or len(here.people) < 2 or not 0 <= here.you < len(here.people):
        return []
    name, (_, role, controls) = far.computer.name, here.people[here.you]
    if controls and here.asks:
        what = f"Far computer: {here.asks} asks for control of the receiver on {name}"
        why = "you go on listening; what is measured ends"
        return [Finding("look", what, why, Act("hand control over"), "Hand it over")]
    people_words = ", ".join(f"{person} {'controls' if has else 'listens'}" for person, _, has in here.people)
    what = f"Far computer: {name} serves {len(here.people)}: {people_words}"
    if controls or role != "control":
        return [Finding("unknown", what, "one sets the receiver")]
    if here.asks == here.people[here.you][0]:
        return [Finding("unknown", what, "you have asked for control: it is theirs to hand over")]
    return [Finding("unknown", what, "one sets the receiver", Act("ask for control"), "Ask for control")]
