"""Declaration of the span test."""

from typing import Protocol

from yarddial.records.log_data import LoggedSpanTest
from yarddial.session.activity import Declaration
from yarddial.session.calibration.topics import CalibrationTopics
from yarddial.session.spurious.findings import spurious_findings
from yarddial.session.spurious.span_verification import SPAN_TEST, SpanTest
from yarddial.session.spurious.strong_signals import StrongSignals
from yarddial.session.spurious.verdict import ghosts_verdict


class SpanTestTopics(CalibrationTopics, Protocol):
    """What the test needs of the session."""

    @property
    def strong(self) -> StrongSignals:
        """Strong signals."""
        ...


def _make(of: SpanTestTopics) -> SpanTest:
    return SpanTest(of.desk, of.live_receiver, of.jobs, of.calibration, of.log, of.strong)


DECLARATION = Declaration(
    make=_make,
    kinds=(SPAN_TEST,),
    begin={SPAN_TEST.name: SpanTest.test},
    is_under_way=lambda span_test: span_test.running,
    on_changed=lambda span_test: span_test.on_span_test_changed,
    findings=lambda span_test, of: spurious_findings(span_test, of.desk),
    verdict=("Ghosts", lambda span_test, of: ghosts_verdict(span_test, of.desk)),
    logs=(LoggedSpanTest,),
)
