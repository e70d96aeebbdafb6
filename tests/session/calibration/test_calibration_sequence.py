"""The walk through all oscillators: planned, measured, entered by one press, ended with a reason whatever happens."""

import time
from collections.abc import Callable
from pathlib import Path

import msgspec
import pytest

from slow_yards import slow_station
from yarddial import wiring
from yarddial.analysis.correction.measurement_plan import plan_measurements
from yarddial.drivers.simulated.truth import true_dial_error_hz
from yarddial.drivers.simulated.world import heron_world, quillet_world
from yarddial.engine.link import EngineInline
from yarddial.records.logbook import Logbook
from yarddial.session.calibration.oscillator_list import usable_references, wanted_places
from yarddial.session.calibration.verdict import oscillators_verdict
from yarddial.session.session import Session
from yarddial.yard.demo import DIRECT, HEARTH_IF, VIA_DISH, VIA_LADDER, demo_station
from yarddial.yard.oscillators import stated_oscillators
from yarddial.yard.station import Reference, Station


def session_of(station: Station, tmp_path: Path) -> Session:
    session = Session(station, EngineInline(wiring.open_device_flat_out), lambda: Logbook(tmp_path / "log"))
    session.calibration.chosen_s = 1.0
    return session


def wait(session: Session, done: Callable[[], bool]) -> None:
    """Plans are made in a thread: give it the core."""
    for _ in range(20_000):
        if done():
            return
        session.poll()
        if session.background.is_busy:
            time.sleep(0.002)
    raise AssertionError("it did not come")


def planned(session: Session) -> None:
    session.calibration_sequence.ask_plan()
    wait(session, lambda: not session.background.is_busy)


def test_the_walk_trues_the_demo_yard_and_ends(tmp_path: Path) -> None:
    session = session_of(slow_station(), tmp_path)
    sequence, was = session.calibration_sequence, session.desk.station
    planned(session)
    assert sequence.plan is not None
    assert 4 <= len(sequence.plan.measurements) <= 8
    assert {row.value for row in sequence.rows()} == {"not measured"}
    sequence.start()
    wait(session, lambda: not sequence.running)
    assert sequence.trouble == ""
    planned(session)
    # Nothing is entered unasked; what one press would change is said before and after.
    assert session.desk.station.parts == was.parts
    assert {row.entered for row in sequence.rows()} >= {"not yet"}
    verdict = oscillators_verdict(sequence.rows(), sequence)
    assert verdict.sentence.startswith("All is measured, and not yet entered")
    assert "Finch crystal 0.000 → +27" in verdict.consequence
    session.calibration.apply()
    planned(session)
    assert sequence.will_change() == ""
    rows = {row.title: row for row in sequence.rows()}
    own_menu = rows.pop("Hearth reference")
    assert {row.mark for row in rows.values()} == {"good"}, rows
    assert "its own menu: set −" in own_menu.next_step
    verdict = oscillators_verdict(sequence.rows(), sequence)
    assert verdict.sentence == "Four of five oscillators are true. Hearth reference is set in its own menu."
    # Judged by the simulator's truth, at the places that ask for most; but for what no known station can tell better.
    unmet = (
        {(place.route.name, place.dial_hz) for place, _ in sequence.plan.unmet} if sequence.plan is not None else set()
    )
    for place in wanted_places(session.desk.station):
        world = heron_world() if place.route.receiver.name == "Heron" else quillet_world()
        if place.route.name == HEARTH_IF or (place.route.name, place.dial_hz) in unmet:
            continue
        assert abs(true_dial_error_hz(world, place.route, place.dial_hz)) < place.tolerance_hz
    assert [name for name, _ in unmet] == [VIA_DISH]
    # The dial is back where it was, and one undo takes all of it back.
    assert (session.desk.station.dial_hz, session.desk.station.route) == (was.dial_hz, was.route)
    session.undo()
    assert session.desk.station.parts == was.parts
    session.close()


def test_what_is_not_heard_is_left_out_and_the_walk_ends_all_the_same(tmp_path: Path) -> None:
    """Stations that nobody sends: each look fails once, none is tried for ever."""
    station = slow_station()
    silent = tuple(
        Reference(f"Nobody {hertz / 1e6:g}", hertz, 0.3, "standard frequency") for hertz in (4.4e6, 11.111e6, 333.3e6)
    )
    routes = tuple(route for route in station.routes if route.name in (VIA_LADDER, DIRECT))
    session = session_of(msgspec.structs.replace(station, references=silent, routes=routes), tmp_path)
    session.calibration_sequence.start()
    wait(session, lambda: not session.calibration_sequence.running)
    assert session.calibration.observations == ()
    assert session.calibration_sequence.plan is not None
    assert session.calibration_sequence.plan.measurements == ()
    session.close()


def test_stopping_keeps_what_was_measured_and_skipping_goes_on(tmp_path: Path) -> None:
    session = session_of(slow_station(), tmp_path)
    sequence = session.calibration_sequence
    planned(session)
    assert sequence.plan is not None
    first = sequence.plan.measurements[0]
    sequence.skip()
    wait(session, lambda: not session.background.is_busy)
    assert first not in sequence.plan.measurements
    sequence.start()
    wait(session, lambda: len(session.calibration.observations) == 1)
    sequence.cancel()
    assert not sequence.running
    assert "what was measured stays" in sequence.trouble
    assert len(session.calibration.observations) == 1
    assert session.jobs.leases == ()
    session.close()


@pytest.mark.parametrize("left_out", [0, 1])
def test_a_plan_reaches_what_can_be_reached_and_says_what_cannot(left_out: int) -> None:
    station = demo_station()
    lines, stated = tuple(station.resolved_routes()), stated_oscillators(station)
    gone = frozenset({("Lantern beacon", VIA_DISH)} if left_out else ())
    plan = plan_measurements(lines, usable_references(station), stated, wanted_places(station), left_out=gone)
    routes = {planned.route for planned in plan.measurements}
    assert (VIA_DISH in routes) == (not left_out)
    assert len({(planned.reference, planned.route) for planned in plan.measurements}) == len(plan.measurements)
    ((place, sigma_hz),) = plan.unmet
    # The beacon's own swing is 30 Hz; without it the can of the LNB is all there is.
    assert place.route.name == VIA_DISH
    assert (sigma_hz < 1_000) == (not left_out)
