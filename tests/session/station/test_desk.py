"""The station on the desk: live edits, undo and redo, saving by itself."""

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.session.station.desk import Desk
from yarddial.session.station.saving import DirectSave
from yarddial.yard.demo import DIRECT, VIA_LADDER, demo_station
from yarddial.yard.errors import BadStation, NotWritten
from yarddial.yard.parts import Antenna
from yarddial.yard.station import Station


def renamed(station: Station, note: str) -> Station:
    antenna = station.part("Long wire")
    assert isinstance(antenna, Antenna)
    return station.with_part(msgspec.structs.replace(antenna, note=note))


@given(st.lists(st.sampled_from(["edit", "undo", "redo", "dial"]), max_size=40))
def test_undo_and_redo_agree_with_a_plain_list_of_states(steps: list[str]) -> None:
    """The model: all states so far and a position in them; a new edit cuts off what was undone."""
    desk = Desk(demo_station())
    states, place = [desk.station.parts], 0
    for number, step in enumerate(steps):
        if step == "edit":
            desk.edit("note", renamed(desk.station, f"note {number}"))
            states, place = [*states[: place + 1], desk.station.parts], place + 1
        elif step == "undo":
            undone = desk.undo()
            assert (undone.label if undone else "") == ("note" if place else "")
            place = max(place - 1, 0)
        elif step == "redo":
            redone = desk.redo()
            assert (redone.label if redone else "") == ("note" if place < len(states) - 1 else "")
            place = min(place + 1, len(states) - 1)
        else:
            desk.dial(10e6 + number)
            assert desk.station.dial_hz == 10e6 + number
        assert desk.station.parts == states[place]


def test_an_edit_that_does_not_hold_together_changes_nothing() -> None:
    desk = Desk(demo_station())
    with pytest.raises(BadStation):
        desk.edit("broken", msgspec.structs.replace(desk.station, route="elsewhere"))
    assert desk.station == demo_station()
    assert desk.undo_label == ""


def test_the_dial_stays_where_it_is_when_an_edit_is_undone() -> None:
    desk = Desk(demo_station())
    desk.edit("note", renamed(desk.station, "new"))
    desk.dial(145.2e6)
    desk.choose_mode("cw")
    desk.undo()
    assert (desk.station.dial_hz, desk.station.mode, desk.station.route) == (145.2e6, "cw", DIRECT)


def test_edits_are_saved_at_once_and_the_dial_when_asked() -> None:
    saved: list[Station] = []
    desk = Desk(demo_station(), DirectSave(saved.append))
    desk.edit("note", renamed(desk.station, "new"))
    assert saved == [desk.station]
    desk.dial(7.1e6)
    assert len(saved) == 1
    desk.save_dial()
    desk.save_dial()
    assert saved[1:] == [desk.station]


def test_a_station_that_cannot_be_saved_is_said_and_tried_again() -> None:
    full = [True]

    def save(_: Station) -> None:
        if full[0]:
            raise NotWritten("the disk is full")

    desk = Desk(demo_station(), DirectSave(save))
    desk.edit("note", renamed(desk.station, "new"))
    assert desk.save_trouble == "the disk is full"
    full[0] = False
    desk.save_dial()
    assert desk.save_trouble == ""


def test_listeners_hear_what_concerns_them_until_they_leave() -> None:
    desk, heard = Desk(demo_station()), []
    leave = desk.on_dial_changed(lambda: heard.append("dial"))
    desk.on_yard_changed(lambda: heard.append("yard"))
    desk.dial(7.1e6)
    desk.dial(7.1e6)
    desk.edit("note", renamed(desk.station, "new"))
    leave()
    desk.dial(7.2e6)
    assert heard == ["dial", "yard"]


def test_points_move_only_when_they_must() -> None:
    desk = Desk(demo_station())
    desk.dial(5e6)
    assert desk.station.route == VIA_LADDER
    desk.dial(5e9)
    assert desk.station.route == VIA_LADDER, "nothing reaches 5 GHz, so nothing moves"
    desk.dial(70e6)
    assert desk.station.route == DIRECT, "the converter before the wire does not go there"
    desk.dial(145e6)
    assert desk.station.route == DIRECT
    desk.choose_route(VIA_LADDER)
    assert desk.station.route == VIA_LADDER
    with pytest.raises(BadStation, match="choose one of"):
        desk.choose_route("nowhere")


@pytest.mark.parametrize(("asked", "got"), [(-5.0, 0.0), (1e15, 1e12)])
def test_the_dial_has_ends(asked: float, got: float) -> None:
    desk = Desk(demo_station())
    desk.dial(asked)
    assert desk.station.dial_hz == got


def test_the_mode_follows_the_band_plan_when_a_frequency_is_typed_and_stays_within_a_part_of_it() -> None:
    desk = Desk(demo_station())
    modes = []
    # By the plan of Region 1: SSB on 20 m from 14.101 MHz, CW below 14.07; then broadcasting, 2 m, and the airband.
    for hertz in (14.2e6, 14.03e6, 96e6, 145.5e6, 124e6):
        desk.dial_typed(hertz)
        modes.append(desk.station.mode)
    assert modes == ["ssb", "cw", "wfm", "nfm", "am"]
    # What a person has chosen stays while they move within the same part, and where no plan says anything.
    desk.dial_typed(14.2e6)
    desk.choose_mode("cw")
    desk.dial_typed(14.25e6)
    assert desk.station.mode == "cw"
    # A known station is used as it is listed.
    desk.dial_typed(10e6)
    assert desk.station.mode == "am"
