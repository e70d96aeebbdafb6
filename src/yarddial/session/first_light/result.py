"""Result of one check."""

import msgspec

from yarddial.yard.mark import Mark


class CheckResult(msgspec.Struct, frozen=True):
    """A check: name, verdict, evidence in numbers, and advice; `remedy` is a command to read and run.

    figures : measured values, under names with their units.
    """

    name: str
    verdict: Mark
    detail: str
    fix: str = ""
    remedy: str = ""
    figures: dict[str, float] = {}


def overall(results: list[CheckResult]) -> Mark:
    """Worst verdict of the results."""
    order: tuple[Mark, ...] = ("stop", "look", "unknown", "good")
    return next((mark for mark in order if any(result.verdict == mark for result in results)), "unknown")


# Questions of a run in order, shown before the first run.
QUESTIONS: tuple[CheckResult, ...] = tuple(
    CheckResult(name, "unknown", question)
    for name, question in (
        ("seen on the bus", "is it plugged in and seen by this computer?"),
        ("link speed", "is the USB link fast enough for its rates?"),
        ("opens", "does its driver open it, or does another program hold it?"),
        ("answers", "do samples come?"),
        ("tunes", "how far does it really tune, and where are its holes?"),
        ("gain steps", "does each step do what it says?"),
        ("each rate", "are samples lost, and where: on the link, in the receiver, or in this computer?"),
        ("clock", "how fast do samples come by this computer's clock?"),
        ("centre spike", "how strong is the line that it makes itself?"),
        ("I/Q balance", "how far down are mirror images?"),
        ("antenna", "is a known station heard?"),
        ("I/Q order", "are I and Q exchanged?"),
        ("warm", "does it still drift?"),
    )
)
