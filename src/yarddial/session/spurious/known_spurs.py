"""Spurious signals from earlier tests at the present dial, of kinds that no centre moves."""

from yarddial.records.log_data import LoggedSpanTest
from yarddial.session.log.log_keeper import LogKeeper
from yarddial.session.station.desk import Desk

FIXED_KINDS = ("crystal", "oscillator", "leak-through", "second order", "third order")
# Frequency uncertainty of a span test; number of tests searched.
WITHIN_HZ, MAX_TESTS = 1_000.0, 60


def known_spur(log: LogKeeper, desk: Desk) -> str:
    """Result of the latest span test of this route that covered the dial; empty without one."""
    station = desk.station
    for entry in log.entries("ghosts", station.name, MAX_TESTS):
        if entry.route != desk.route.name or not isinstance(entry.data, LoggedSpanTest):
            continue
        near = [peak for peak in entry.data.peaks if abs(peak.dial_hz - station.dial_hz) < WITHIN_HZ]
        if near:
            peak = min(near, key=lambda candidate: abs(candidate.dial_hz - station.dial_hz))
            return peak.cause if peak.verdict == "ghost" and peak.kind in FIXED_KINDS else ""
    return ""
