"""A finding: severity, the fault with its number, why it matters, and its fix."""

from typing import Literal

import msgspec

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.session.verdict import Verdict
from yarddial.yard.mark import Mark
from yarddial.yard.places import PlaceName


class GoTo(msgspec.Struct, frozen=True):
    """Fix: go to the place where it is mended."""

    place: PlaceName


class Act(msgspec.Struct, frozen=True):
    """Fix: an action that is done at once."""

    what: Literal[
        "measure", "apply", "free the route", "recover", "copy the fault", "compare versions", "write read-only",
        "save elsewhere", "restore the log", "export unreadable", "choose the receiver", "feed the line",
        "begin from the box", "show the transceiver", "hand control over", "ask for control",
        "show the plugs",
    ]  # fmt: skip


class MendYard(msgspec.Struct, frozen=True):
    """Fix: a change that Bench makes."""

    bench: BenchFinding


Fix = GoTo | Act | MendYard


class Finding(msgspec.Struct, frozen=True):
    """One finding. `fix` : its remedy, if any. `safety` : concerns people or equipment."""

    mark: Mark
    what: str
    why: str
    fix: Fix | None = None
    fix_label: str = ""
    safety: bool = False


def going(mark: Mark, what: str, why: str, place: PlaceName, label: str = "") -> Finding:
    """Make a finding that is mended in a place."""
    return Finding(mark, what, why, GoTo(place), label or f"Go to {place}")


def passed_on(place: PlaceName, verdict: Verdict, mended_in: PlaceName) -> Finding:
    """Make a finding from a place's verdict."""
    sentence = verdict.sentence.rstrip(".")
    what = f"{place}: {sentence[:1].lower()}{sentence[1:]}"
    return going(verdict.mark, what, verdict.consequence.rstrip("."), mended_in)
