"""Building a yard: parts go where they belong, routes name themselves, and nothing measured is lost."""

from collections.abc import Callable
from functools import partial

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.yard import editing
from yarddial.yard.demo import FINCH, HEARTH_IF, LADDER, LONG_WIRE, VIA_LADDER, demo_station
from yarddial.yard.errors import BadStation, YardDialError
from yarddial.yard.parts import Antenna
from yarddial.yard.shelf import shelf
from yarddial.yard.station import Station, checked

EMPTY = Station("new")


def test_an_empty_yard_becomes_a_route_that_names_itself() -> None:
    station = editing.put_in(EMPTY, LADDER, "")
    assert station.resolve().missing == "route 'Route 1' still needs an antenna and a receiver"
    station = editing.put_in(station, FINCH, station.route)
    station = editing.put_in(station, LONG_WIRE, station.route)
    route = station.route_named()
    assert (route.name, route.parts, route.port) == (VIA_LADDER, ("Long wire", "Ladder", "Finch"), "ladder")
    assert checked(station).resolve().missing == ""


def test_another_antenna_takes_the_place_of_the_first_which_stays_in_the_yard() -> None:
    station = editing.put_in(demo_station(), Antenna("Loop", 1e5, 3e7), VIA_LADDER)
    assert station.route_named(VIA_LADDER).parts[:2] == ("Loop", "Patch")
    alone = editing.put_in(editing.put_in(EMPTY, LONG_WIRE, ""), Antenna("Loop", 1e5, 3e7), "Route 1")
    assert [part.name for part in alone.unused()] == ["Long wire"]
    again = editing.place(alone, "Long wire", "Route 1")
    assert again.route_named().parts == ("Long wire",)


def test_parts_move_between_the_ends_only() -> None:
    station = demo_station()
    moved = editing.move(station, "Ladder", VIA_LADDER, -1)
    assert moved.route_named(VIA_LADDER).parts == ("Long wire", "Ladder", "Patch", "Finch")
    assert editing.move(station, "Ladder", VIA_LADDER, +5) == station
    with pytest.raises(BadStation, match="end of its route"):
        editing.move(station, "Finch", VIA_LADDER, -1)


def test_what_is_taken_out_lies_unused_and_what_is_discarded_is_gone() -> None:
    out = editing.take_out(demo_station(), "Ladder", VIA_LADDER)
    assert out.part("Ladder") == LADDER
    assert [part.name for part in out.unused()] == ["Ladder"]
    gone = editing.discard(out, "Finch")
    assert "Finch" not in {part.name for part in gone.parts}
    assert gone.resolve(VIA_LADDER).missing.endswith("still needs a receiver")
    checked(gone)


def test_names_are_changed_everywhere_and_never_doubled() -> None:
    named = editing.rename_part(demo_station(), "Hearth", "Stove")
    assert all("Hearth" not in route.parts for route in named.routes)
    assert [tap.name for route in named.routes for tap in route.taps] == ["Stove"]
    with pytest.raises(BadStation, match="is there already"):
        editing.rename_part(named, "Stove", " Ladder ")
    with pytest.raises(BadStation, match="is there already"):
        editing.rename_route(named, VIA_LADDER, HEARTH_IF)
    copied, name = editing.copy_part(named, "Ladder")
    assert (name, editing.copy_part(copied, "Ladder")[1]) == ("Ladder 2", "Ladder 3")
    assert editing.rename_route(named, VIA_LADDER, "HF").route == "HF"


def test_routes_are_begun_copied_preferred_and_taken_up() -> None:
    station = editing.new_route(demo_station(), like=VIA_LADDER)
    assert station.route == f"{VIA_LADDER} 2"
    assert station.route_named().parts == station.route_named(VIA_LADDER).parts
    station = editing.remove_route(station, station.route)
    assert station.route == VIA_LADDER
    assert editing.prefer_route(station, HEARTH_IF, True).route_named(HEARTH_IF).preferred
    tapped = editing.choose_tap(station, HEARTH_IF, "Hearth", "antenna")
    assert tapped.resolve(HEARTH_IF).converters == ()
    assert editing.choose_tap(tapped, HEARTH_IF, "Hearth", "if") == station


def _copied(station: Station, name: str) -> Station:
    return editing.copy_part(station, name)[0]


@given(st.data())
def test_any_run_of_edits_leaves_a_yard_that_holds_together(data: st.DataObject) -> None:
    """Whatever is pressed in whatever order, the station passes its own check, or the edit is refused in a sentence."""
    station = data.draw(st.sampled_from([EMPTY, demo_station()]))
    for _ in range(data.draw(st.integers(1, 12))):
        names = [part.name for part in station.parts] or ["nobody"]
        name, route = data.draw(st.sampled_from(names)), station.route
        part, index = data.draw(st.sampled_from(shelf())), data.draw(st.integers(0, 6))
        edits: list[Callable[[Station], Station]] = [
            partial(editing.put_in, part=part, route_name=route, index=index),
            partial(editing.place, part_name=name, route_name=route, index=index),
            partial(editing.take_out, part_name=name, route_name=route),
            partial(editing.discard, part_name=name),
            partial(_copied, name=name),
            partial(editing.rename_part, old=name, new=f"{name}!"),
            partial(editing.new_route, like=route),
            partial(editing.remove_route, name=route),
            partial(editing.move, part_name=name, route_name=route, step=index - 3),
        ]
        edit = data.draw(st.sampled_from(edits))
        try:
            station = checked(edit(station))
        except YardDialError as refused:
            assert "\n" not in str(refused)
    station.active_route().reach(10e6)
