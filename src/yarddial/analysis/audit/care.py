"""General cautions for people and equipment: lightning, static, power lines, heat. Local rules and licensed practice
decide.

Sources: IEC 62305-3 and IEC 60728-11 (lightning, bonding of antennas), IEC 60364-4-41 (earthing and screens), the
advice of power utilities on wires near lines (twice their height away).
"""

from collections.abc import Iterator

from yarddial.analysis.audit.finding import BenchFinding
from yarddial.yard.parts import Antenna, Need, Receiver
from yarddial.yard.resolved_route import ResolvedRoute
from yarddial.yard.station import Station


def care(station: Station, routes: tuple[ResolvedRoute, ...]) -> Iterator[BenchFinding]:
    """List cautions that apply to every yard of this kind, whatever its numbers."""
    outdoors = [part.name for part in station.parts if isinstance(part, Antenna) and part.outdoors]
    if outdoors:
        verb = "is" if len(outdoors) == 1 else "are"
        names = _names(outdoors)
        yield BenchFinding(
            "care:lightning", "look", f"Lightning and static: {names} {verb} outdoors",
            "disconnect and ground before a thunderstorm, discharge before plugging in; bond screens and mast where "
            "they enter, which a house earthed over its neutral may forbid: local rules and an electrician decide",
            "", True,
        )  # fmt: skip
        yield BenchFinding(
            "care:power lines", "look", f"Power lines and falls: {names} {verb} put up in the open",
            "wherever a wire or mast could fall, no power line may be within reach: its whole length and a few metres "
            "more; a ladder needs a second person, a roof its own training", "", True,
        )  # fmt: skip
    leads = [
        part.name
        for part in station.parts
        if isinstance(need := getattr(part, "need", None), Need) and need.by == "lead"
    ]
    if outdoors and leads:
        yield BenchFinding(
            "care:two-wire supplies", "look", f"Two-wire supplies: {_names(leads)} and the computer may hang on them",
            "without an earth wire they float at half the mains' voltage: join all screens first, plug the supplies in "
            "last, and never take away an earth wire that is there", "", True,
        )  # fmt: skip
    warm = [part.name for part in station.parts if isinstance(part, Receiver)]
    if warm:
        yield BenchFinding(
            "care:heat", "look", f"Heat: {_names(warm)} {'runs' if len(warm) == 1 else 'run'} warm for hours",
            "leave room for air about it and cover nothing; its case stays closed", safety=True,
        )  # fmt: skip


def _names(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
