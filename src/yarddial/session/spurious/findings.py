"""A ghost at the dial."""

from yarddial.session.finding import Finding, passed_on
from yarddial.session.spurious.span_verification import SpanTest
from yarddial.session.spurious.verdict import ghosts_verdict
from yarddial.session.station.desk import Desk


def spurious_findings(span_test: SpanTest, desk: Desk) -> list[Finding]:
    """What stands at the dial; a span that was not tested is nothing that is wrong."""
    if span_test.running or span_test.at_dial() is None:
        return []
    verdict = ghosts_verdict(span_test, desk)
    return [passed_on("Ghosts", verdict, "Ghosts")] if verdict.mark in ("stop", "look") else []
