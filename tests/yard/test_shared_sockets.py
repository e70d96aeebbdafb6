"""Sockets that routes share: what is asked of a hand, held to a table of plugs kept apart from the program."""

from itertools import pairwise, permutations

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_HEARTH, VIA_LADDER, demo_station
from yarddial.yard.editing import rename_part
from yarddial.yard.parts import Antenna, Converter, Part, Port, Receiver, Socket, TwoPort, Value
from yarddial.yard.plugs import Plugged, SocketKey
from yarddial.yard.shared_sockets import (
    connected,
    in_order_of_moves,
    moves_for,
    shared_sockets,
    with_move,
    with_switching,
)
from yarddial.yard.station import Route, Station

ANTENNAS = ("Wire", "Whip", "Loop")


def one_socket(routes: tuple[tuple[str, ...], ...]) -> Station:
    """Three antennas, two converters, and a receiver with one socket; routes by their parts, all by hand."""
    parts: list[Part] = [Antenna(name, 1e3, 1e9, outdoors=name == "Wire") for name in ANTENNAS]
    parts += [Converter(name, "sum", Value(120e6), 120e6, 1e5, 60e6) for name in ("Step", "Stair")]
    receiver = Receiver(
        "Stick", tuner_low_hz=1e6, tuner_high_hz=2e9, crystal_hz=26e6, crystal_ppm=Value(0.0, 20.0), entered_ppm=0.0,
        rates_hz=(2e6,), rate_hz=2e6, bits=8, ports=(Port("in", Socket("SMA")),),
    )  # fmt: skip
    return Station(
        "Table", (*parts, receiver), tuple(Route(f"R{i}", (*names, "Stick")) for i, names in enumerate(routes))
    )


# A table apart from the program: which lead is in each socket. A lead is in one socket at most, a socket holds one.
def table_moves(table: dict[str, str], chain: tuple[str, ...]) -> int:
    """Plugs that a person must put in to make a chain of parts out of a table; the table is changed."""
    count = 0
    for lead, socket in pairwise(chain):
        if table.get(socket) != lead:
            for other in [key for key, value in table.items() if value == lead]:
                del table[other]
            table[socket] = lead
            count += 1
    return count


chains = st.lists(
    st.builds(
        lambda antenna, converters: (antenna, *converters),
        st.sampled_from(ANTENNAS),
        st.sampled_from(((), ("Step",), ("Stair",))),
    ),
    min_size=2, max_size=5, unique=True,
)  # fmt: skip


@given(chains, st.lists(st.integers(0, 4), min_size=1, max_size=8))
def test_each_route_asks_for_the_plugs_that_a_table_lacks_and_no_other(
    routes: list[tuple[str, ...]], visits: list[int]
) -> None:
    station = one_socket(tuple(routes))
    by_hand = {shared.key for shared in shared_sockets(station)}
    table: dict[str, str] = {}
    # Joints that no other route shares stay as they were put together.
    for chain in routes:
        for lead, socket in zip((*chain, "Stick"), (*chain[1:], "Stick"), strict=False):
            if SocketKey(lead, "output") not in by_hand and SocketKey(socket, "input") not in by_hand:
                table[socket] = lead
    for visit in visits:
        index = visit % len(routes)
        asked = moves_for(station, f"R{index}")
        assert len(asked) == table_moves(table, (*routes[index], "Stick"))
        station = connected(station, f"R{index}")
        assert moves_for(station, f"R{index}") == ()
    assert {(s.socket.part, s.neighbour) for s in station.plugged if s.socket.side == "input" and s.neighbour} <= set(
        table.items()
    )


@given(chains, st.data())
def test_the_order_of_routes_costs_little_more_than_the_best_one(
    routes: list[tuple[str, ...]], data: st.DataObject
) -> None:
    station = one_socket(tuple(routes))
    station = connected(station, data.draw(st.sampled_from([route.name for route in station.routes])))

    def cost(order: tuple[str, ...]) -> int:
        present, total = station, 0
        for name in order:
            total += len(moves_for(present, name))
            present = connected(present, name)
        return total

    names = tuple(route.name for route in station.routes)
    order = in_order_of_moves(station, names)
    assert sorted(order) == sorted(names)
    assert cost(order) <= 1.3 * min(cost(each) for each in permutations(names)) + 1


def test_the_demo_shares_one_switch_and_asks_for_it_in_words() -> None:
    station = demo_station()
    assert [(s.key.part, s.neighbours, s.by) for s in shared_sockets(station)] == [
        ("Patch", ("Ladder", "Hearth"), "hand")
    ]
    assert moves_for(station, VIA_LADDER) == moves_for(station, DIRECT) == ()
    (move,) = moves_for(station, VIA_HEARTH)
    assert move.sentence == "turn Patch to Hearth (it stood at Ladder)"
    assert moves_for(station, HEARTH_IF) == (move,)
    assert [m.sentence for m in moves_for(with_move(station, move, ""), VIA_LADDER)] == [
        "turn Patch to Ladder (it stood at Hearth)"
    ]
    # With nothing confirmed, even the present route asks.
    unknown = msgspec.structs.replace(station, plugged=())
    assert moves_for(unknown, VIA_LADDER)[0].sentence == "turn Patch to Ladder, or confirm that it stands there"


def test_what_a_program_switches_or_a_splitter_feeds_needs_no_hand() -> None:
    station = demo_station()
    assert moves_for(with_switching(station, SocketKey("Patch", "output"), "program"), VIA_HEARTH) == ()
    patch = station.part("Patch")
    assert isinstance(patch, TwoPort)
    assert moves_for(station.with_part(msgspec.structs.replace(patch, what="splitter")), VIA_HEARTH) == ()


@pytest.mark.parametrize(
    ("before", "sentence", "outdoors"),
    [
        ((), "plug Wire into Stick, or confirm that it is there", True),
        (("Whip",), "plug Wire into Stick (Whip was in it)", True),
    ],
)
def test_a_plug_says_what_it_takes_the_place_of(before: tuple[str, ...], sentence: str, outdoors: bool) -> None:
    station = one_socket((("Wire",), ("Whip",)))
    for _ in before:
        station = connected(station, "R1")
    (move,) = moves_for(station, "R0")
    assert (move.sentence, move.outdoors) == (sentence, outdoors)


def test_a_lead_that_goes_elsewhere_leaves_its_socket() -> None:
    """The wire serves the converter or the stick itself, so both ends of it are moved."""
    station = connected(one_socket((("Wire", "Step"), ("Wire",))), "R0")
    (move,) = moves_for(station, "R1")
    assert move.sentence == "plug Wire into Stick (it was in Step)"
    swapped = with_move(station, move, "2026-12-01T10:00:00Z")
    assert [m.act for m in moves_for(swapped, "R0")] == ["plug Wire into Step", "plug Step into Stick"]


def test_a_renamed_part_stays_where_it_is_plugged() -> None:
    station = rename_part(rename_part(demo_station(), "Ladder", "Stairs"), "Patch", "Knob")
    assert station.plugged[0] == Plugged(
        SocketKey("Knob", "output"), "Stairs", station.plugged[0].date_utc, station.plugged[0].check
    )
    assert moves_for(station, VIA_LADDER) == ()
