"""Finding about a spurious signal at the dial."""

from yarddial.session.finding import Finding, passed_on
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.session.station.desk import Desk


def spurious_findings(span_test: SpanTest, desk: Desk) -> list[Finding]:
    """Report what is at the dial; an untested span is no fault."""
    if span_test.running or span_test.at_dial() is None:
        return []
    verdict = ghosts_verdict(span_test, desk)
    return [passed_on("Ghosts", verdict, "Ghosts")] if verdict.mark in ("stop", "look") else []
