"""Verdict of Bands: how many are right, and what most of the others need."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from yarddial.session.verdict import Verdict
from yarddial.yard.mark import Mark

if TYPE_CHECKING:
    from yarddial.analysis.board.row import BandRow

# Maximum number of good bands named in the sentence.
MAX_NAMED = 6

DO_NEXT = {
    "": "Nothing is left to do.",
    "bench": "Look at Bench for those out of reach.",
    "apply": "Enter the correction.",
    "measure": "Measure a known station on each route: that settles most of them.",
    "ghosts": "See in Ghosts what is not really there.",
    "listen": "Most are true: listen there, or test their spans.",
}


def bands_verdict(rows: "Sequence[BandRow]") -> Verdict:
    """Count the good bands, and say what is wrong with most of the others."""
    counts = {mark: sum(row.mark == mark for row in rows) for mark in ("good", "look", "stop", "unknown")}
    if not rows:
        return Verdict("unknown", "Nobody has looked at the bands yet.", "Open them.", "open to see")
    todo = [row.todo for row in rows if row.todo]
    commonest = max(todo, key=todo.count, default="")
    what = DO_NEXT[commonest]
    count_words = f"{counts['good']} of {len(rows)} right"
    good = [row.band.name for row in rows if row.mark == "good"]
    now = f"Good now: {', '.join(good[:MAX_NAMED])}{' and more' * (len(good) > MAX_NAMED)}. " if good else ""
    more = f"{now}{counts['look']} to look at, {counts['stop']} out of reach, {counts['unknown']} not known yet. {what}"
    mark: Mark = "good" if counts["good"] == len(rows) else "look" if counts["look"] else "unknown"
    return Verdict(mark, f"{counts['good']} of {len(rows)} bands are reachable, true and proven.", more, count_words)
