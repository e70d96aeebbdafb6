"""Plugs and switches that a hand moves: nothing rests on a route that is not connected."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from hand import Hand, hand_station
from job_yard import BEGIN, JobYard
from waiting import until
from yarddial import wiring
from yarddial.engine.commands import Command, Tune
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.listening.comparison import PAIRS_BY_HAND
from yarddial.session.session import Session
from yarddial.yard.demo import HEARTH_IF, VIA_HEARTH, VIA_LADDER
from yarddial.yard.shared_sockets import moves_for
from yarddial.yard.station import Station


@pytest.fixture
def yard_station() -> Station:
    return hand_station()


class WatchedYard(JobYard):
    """Notes each tuning that leaves for a route that is not connected at that moment."""

    not_connected: list[str]

    def _see(self, command: Command) -> None:
        super()._see(command)
        if isinstance(command, Tune) and self.session is not None:
            station = self.session.desk.station
            if any(route.name == command.route for route in station.routes) and moves_for(station, command.route):
                self.not_connected.append(command.route)


def watched_yard(folder: Path) -> WatchedYard:
    WatchedYard.not_connected = []
    return WatchedYard(folder, station=hand_station())


def test_no_job_tunes_over_a_route_that_a_hand_must_connect(tmp_path: Path) -> None:
    """Every job of the table is begun on such a route: none tunes there, and none stays under way."""
    for name in BEGIN:
        yard = watched_yard(tmp_path / name)
        yard.session.desk.hold(True)
        yard.session.desk.choose_route(VIA_HEARTH)
        yard.begin(name)
        yard.polls(60)
        yard.let_go()
        assert (name, yard.not_connected) == (name, [])
        assert yard.faults() == []
        yard.session.close()


@pytest.mark.parametrize("seed", range(2))
def test_whatever_is_begun_while_plugs_are_moved_nothing_rests_on_a_disconnected_route(
    tmp_path: Path, seed: int
) -> None:
    yard, chance = watched_yard(tmp_path), np.random.default_rng(seed)
    hands, desk = yard.session.hands, yard.session.desk
    names, patch = sorted(BEGIN), hands.sockets()[0]
    for _ in range(80):
        action = int(chance.integers(5))
        if action == 0:
            desk.choose_route(str(chance.choice([VIA_LADDER, VIA_HEARTH, HEARTH_IF])))
        elif action == 1:
            hands.state_plug(patch.key, str(chance.choice(["", *patch.neighbours])))
        elif action == 2:
            Hand(yard.session).obey()
        elif action == 3:
            yard.begin(str(chance.choice(names)))
        yard.polls(int(chance.integers(1, 12)))
    yard.let_go()
    assert yard.not_connected == []
    assert yard.faults() == []
    yard.session.close()


def test_measuring_says_which_plug_and_goes_on_once_it_is_done(
    session: Session, finish: Callable[[Session], None]
) -> None:
    session.desk.hold(True)
    session.desk.choose_route(VIA_HEARTH)
    wanted = f"{VIA_HEARTH} is not connected: turn Patch to Hearth (it stood at Ladder)"
    assert session.calibration.why_not_measure() == wanted
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.running)
    session.poll()
    assert not session.live_receiver.is_tuned
    (finding,) = [finding for finding in session.overview.state.findings if finding.what.startswith("By hand")]
    assert finding.what == "By hand: turn Patch to Hearth (it stood at Ladder)"
    session.hands.confirm(session.hands.moves()[0])
    until(session, lambda: not session.plug_check.running and session.live_receiver.is_tuned)
    session.calibration.measure()
    finish(session)
    assert session.calibration.outcome is not None
    assert session.calibration.outcome.kind == "measured"
    assert session.log.shown()[0].route == VIA_HEARTH


def test_a_plug_pulled_in_mid_measurement_ends_it_with_the_reason(session: Session) -> None:
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    session.calibration.measure(8.0)
    for _ in range(10):
        session.poll()
    assert session.calibration.measuring is not None
    session.hands.state_plug(session.hands.sockets()[0].key, "Hearth")
    until(session, lambda: session.calibration.measuring is None)
    assert session.calibration.outcome is not None
    assert session.calibration.outcome.kind != "measured"
    assert "turn Patch to Ladder" in session.calibration.outcome.text
    assert [entry for entry in session.log.shown() if entry.kind == "observation"] == []


def test_undo_takes_back_an_edit_and_moves_no_plug(session: Session) -> None:
    hands, desk = session.hands, session.desk
    hands.state_switching(hands.sockets()[0].key, "program")
    hands.state_switching(hands.sockets()[0].key, "hand")
    desk.choose_route(VIA_HEARTH)
    hands.confirm(hands.moves()[0])
    session.undo()
    session.undo()
    assert hands.moves(VIA_HEARTH) == ()
    assert len(hands.moves(VIA_LADDER)) == 1


def test_two_routes_that_a_hand_changes_are_compared_in_alternating_blocks(session: Session) -> None:
    hand, own = Hand(session), session.comparison
    session.listening.open()
    session.toggle_receiver()
    until(session, lambda: session.live_receiver.is_tuned)
    first, second = own.setups()[:2]
    assert {first.route.name, second.route.name} == {VIA_LADDER, VIA_HEARTH}
    own.start(first, second)
    until(session, lambda: own.waits_for_hand)
    for _ in range(200):
        session.poll()
    # It waits as long as the hand does, and the pair is not counted before.
    assert (own.waits_for_hand, own.pairs) == (True, ())
    until(session, lambda: hand.obey() or not own.running)
    until(session, lambda: (hand.obey(), not own.running)[1])
    assert (own.trouble, len(own.pairs)) == ("", PAIRS_BY_HAND)
    # First, second, second, first and so on: one move a pair.
    assert [move.act for move in hand.moved] == ["turn Patch to Hearth", "turn Patch to Ladder"] * (PAIRS_BY_HAND // 2)
    entry = next(entry for entry in session.log.shown() if entry.kind == "comparison")
    assert "by hand" in entry.text


def test_the_walk_through_all_oscillators_waits_for_the_hand_once_each_way(tmp_path: Path) -> None:
    session = Session(
        hand_station(), EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log" / "log.sqlite")
    )
    session.calibration.chosen_s = 1.0
    hand, sequence = Hand(session), session.calibration_sequence
    sequence.start()
    until(session, lambda: "turn Patch to Hearth" in sequence.doing)
    measured_before = [entry.route for entry in session.log.shown() if entry.kind == "observation"]
    # What needs no hand came first.
    assert measured_before
    assert not {VIA_HEARTH, HEARTH_IF} & set(measured_before)
    until(session, lambda: (hand.obey(), not sequence.running)[1])
    assert sequence.trouble == ""
    assert {VIA_HEARTH, HEARTH_IF} & {entry.route for entry in session.log.shown() if entry.kind == "observation"}
    assert len(hand.moved) <= 2
    session.close()
