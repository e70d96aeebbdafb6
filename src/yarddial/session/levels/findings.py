"""Findings about gains that are too high or too low."""

from yarddial.session.finding import Finding, passed_on
from yarddial.session.levels.levels import Levels
from yarddial.session.levels.verdict import levels_verdict
from yarddial.session.station.desk import Desk


def levels_findings(levels: Levels, desk: Desk) -> list[Finding]:
    """Report the verdict of Levels unless it is good."""
    verdict = levels_verdict(levels, desk)
    return [passed_on("Levels", verdict, "Levels")] if verdict.mark in ("stop", "look") else []
