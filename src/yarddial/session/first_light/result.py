"""The result of one check."""

import msgspec

from yarddial.yard.mark import Mark


class CheckResult(msgspec.Struct, frozen=True):
    """One check: its name, verdict, the evidence in numbers, and what to do; `remedy` is a line to read and to run.

    figures : what was measured, under names with their units.
    """

    name: str
    verdict: Mark
    detail: str
    fix: str = ""
    remedy: str = ""
    figures: dict[str, float] = {}


def overall(results: list[CheckResult]) -> Mark:
    """The worst of them."""
    order: tuple[Mark, ...] = ("stop", "look", "unknown", "good")
    return next((mark for mark in order if any(result.verdict == mark for result in results)), "unknown")
