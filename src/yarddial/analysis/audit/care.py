"""Care for people and equipment: lightning, static, power lines, heat. Local rules and licensed practice decide."""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.line import Line
from yarddial.yard.parts import Antenna, Receiver
from yarddial.yard.station import Station


def care(station: Station, lines: tuple[Line, ...]) -> Iterator[BenchFinding]:
    """What concerns every yard of that kind, whatever its numbers."""
    outdoors = [part.name for part in station.parts if isinstance(part, Antenna) and part.outdoors]
    if outdoors:
        verb = "is" if len(outdoors) == 1 else "are"
        names = _names(outdoors)
        yield BenchFinding(
            "care:lightning", "look", f"Lightning and static: {names} {verb} outdoors",
            "disconnect and ground before a thunderstorm, discharge before plugging in; local rules decide", "", True,
        )  # fmt: skip
        yield BenchFinding(
            "care:power lines", "look", f"Power lines and falls: {names} {verb} put up in the open",
            "keep every wire and mast clear of power lines by more than its length; never work there alone", "", True,
        )  # fmt: skip
    warm = [part.name for part in station.parts if isinstance(part, Receiver)]
    if warm:
        yield BenchFinding(
            "care:heat", "look", f"Heat: {_names(warm)} {'runs' if len(warm) == 1 else 'run'} warm for hours",
            "give air, keep covers off, use a short lead away from the computer", safety=True,
        )  # fmt: skip


def _names(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
