"""What every finding is: how bad, what with its number, why it matters, and what mends it."""

from typing import Literal

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.verdict import Verdict
from yarddial.yard.mark import Mark
from yarddial.yard.places import PlaceName


class GoTo(msgspec.Struct, frozen=True):
    """Go where it is mended."""

    place: PlaceName


class Act(msgspec.Struct, frozen=True):
    """A fix that is done at once."""

    what: Literal[
        "measure", "apply", "free the route", "recover", "copy the fault", "compare versions", "write read-only",
        "save elsewhere", "restore the log", "export unreadable", "choose the receiver", "feed the line",
        "begin from the box", "show the transceiver", "hand control over", "ask for control",
    ]  # fmt: skip


class MendYard(msgspec.Struct, frozen=True):
    """Let Bench mend what it found."""

    bench: BenchFinding


Fix = GoTo | Act | MendYard


class Finding(msgspec.Struct, frozen=True):
    """One thing that is wrong. `fix` : what mends it, if anything does. `safety` : stands before all others."""

    mark: Mark
    what: str
    why: str
    fix: Fix | None = None
    fix_label: str = ""
    safety: bool = False


def going(mark: Mark, what: str, why: str, place: PlaceName, label: str = "") -> Finding:
    """A finding that is mended in a place."""
    return Finding(mark, what, why, GoTo(place), label or f"Go to {place}")


def passed_on(place: PlaceName, verdict: Verdict, mended_in: PlaceName) -> Finding:
    """What a place says of itself, as a finding."""
    sentence = verdict.sentence.rstrip(".")
    what = f"{place}: {sentence[:1].lower()}{sentence[1:]}"
    return going(verdict.mark, what, verdict.consequence.rstrip("."), mended_in)
